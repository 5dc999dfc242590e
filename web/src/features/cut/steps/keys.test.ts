import { shallowMount, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, ref } from 'vue'
import type { BedReading } from '../../../drawing/bars'
import type { CutView } from '../../../shared/http'
import { fitting, swell, testCut } from '../../../shared/testCut'
import type { Listening } from '../../listening/useListening'
import BarsPage from '../../reading/BarsPage.vue'
import SheetView from '../../sheet/SheetView.vue'
import type { CutActions } from '../useCut'
import FitStep from './FitStep.vue'
import ReadingStep from './ReadingStep.vue'
import ShapeStep from './ShapeStep.vue'

/** Everything that a step asks for, in order, as `name(arguments)`. */
function stand(step: object, cut: CutView, passage: { fromS: number; toS: number } | null = null) {
  const asked: unknown[][] = []
  const actions = new Proxy({ busy: ref(false) } as Record<string, unknown>, {
    get: (target, name: string) =>
      target[name] ??
      (async (...all: unknown[]) => {
        asked.push([name, ...all])
        return true
      }),
  })
  const listening = {
    positionS: ref(6),
    passage: ref(passage),
    stop: vi.fn(),
    seek: vi.fn(),
    repeatPassage: vi.fn(),
    byHand: vi.fn(),
    keepAtHand: vi.fn(),
  }
  const view = shallowMount(step as typeof FitStep, {
    props: { cut, actions: actions as unknown as CutActions, listening: listening as unknown as Listening },
    global: { config: { warnHandler: () => {} } },
    attachTo: document.body,
  })
  return { view: view as VueWrapper, asked, busy: actions.busy as ReturnType<typeof ref<boolean>>, listening }
}

/** What was said of the cut. */
const said = (asked: unknown[][]) => asked.filter(([name]) => name === 'say').map((one) => one[1])

async function press(...keys: string[]) {
  for (const key of keys)
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
  await nextTick()
}

beforeEach(() => {
  document.body.innerHTML = ''
  Element.prototype.scrollIntoView = vi.fn()
  vi.stubGlobal('fetch', async () => new Response('{"stepS":0.01,"peaks":[]}'))
})
afterEach(() => vi.unstubAllGlobals())

describe('the fit by keyboard', () => {
  const fittings = [fitting, { ...fitting, name: 'second' }, { ...fitting, name: 'third', notes: ['The beds repeat.'] }]

  it('flicks through the fittings round and round, and back to the one before', async () => {
    const { asked, view } = stand(FitStep, testCut({ fittings, chosen: 0 }))
    await press('ArrowDown')
    await press('ArrowUp')
    expect(said(asked)).toEqual([
      { about: 'fit', do: 'choose', fitting: 1 },
      { about: 'fit', do: 'choose', fitting: 2 },
    ])
    await view.setProps({ cut: testCut({ fittings, chosen: 2 }) })
    await press('x')
    expect(said(asked)[2]).toEqual({ about: 'fit', do: 'choose', fitting: 0 })
  })

  it('waits while the last change is under way, and leaves typing alone', async () => {
    const { asked, busy } = stand(FitStep, testCut({ fittings, chosen: 0 }))
    busy.value = true
    await press('ArrowDown')
    busy.value = false
    const input = document.createElement('input')
    document.body.append(input)
    input.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }))
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', ctrlKey: true, bubbles: true }))
    await nextTick()
    expect(asked).toEqual([])
  })

  it('hears a bar to either side of the splice, and two seconds where no bars are known', async () => {
    const { listening, view } = stand(FitStep, testCut({ fittings, chosen: 0 }))
    await press('Enter')
    expect(listening.repeatPassage).toHaveBeenCalledWith(10, 14)
    const cut = testCut({ fittings, chosen: 0 })
    cut.bed = { ...cut.bed!, reading: { barLinesS: [0, 1, 2, 4, 6, 8, 9.5] } as BedReading }
    await view.setProps({ cut })
    await press('Enter')
    expect(listening.repeatPassage).toHaveBeenLastCalledWith(10.5, 13.5)
  })

  it('shows what is to be said of the fitting, and of a length that is tried', async () => {
    const { view } = stand(FitStep, testCut({ fittings, chosen: 2 }))
    expect(view.findAll('[data-test=fit-note]').map((n) => n.text())).toEqual(['The beds repeat.'])
    const tried = { ...fitting, notes: ['Tried and told.'] }
    vi.stubGlobal(
      'fetch',
      async () => new Response(JSON.stringify(tried), { headers: { 'content-type': 'application/json' } }),
    )
    view.getComponent({ name: 'MapView' }).vm.$emit('try-length', 22)
    await vi.waitFor(() => expect(view.get('[data-test=fit-note]').text()).toBe('Tried and told.'))
    expect(view.text()).toContain('0:22.0')
  })

  it('has what is asked for beside the fittings when there is no splice to look at', () => {
    const { view } = stand(FitStep, testCut({ fittings: [{ ...fitting, splices: [] }], chosen: 0 }))
    expect(view.find('[data-test=no-splice]').exists()).toBe(true)
    expect(view.findComponent({ name: 'SpliceCloseUp' }).exists()).toBe(false)
  })
})

describe('the reading by keyboard', () => {
  const section = (startBar: number, endBar: number, startS: number) => ({
    label: 'A',
    name: null,
    startBar,
    endBar,
    startS,
    endS: 2 * endBar,
  })
  const bar = { notes: '', attacksPerS: 2, brightnessHz: 900 }
  const reading = {
    tempoBpm: 120,
    metre: 4,
    barLinesS: [0, 2, 4, 6, 8, 10, 12],
    bars: Array(6).fill(bar),
    sections: [section(1, 2, 0), section(3, 6, 4)],
    singing: [{ startS: 4.5, endS: 5.5, likelihood: 0.8 }],
    secondOpinions: [],
    loops: [],
    ending: 'fadesOut',
    barsSure: 'sure',
    beatsSure: 'sure',
    integratedLufs: -14,
    rangeLu: 5,
    truePeakDbtp: -1,
    musicStartS: 0,
    musicEndS: 12,
    lastHitS: 12,
  } as unknown as BedReading
  function read() {
    const cut = testCut()
    cut.bed = { ...cut.bed!, reading }
    return stand(ReadingStep, cut)
  }
  const corrected = (asked: unknown[][]) => said(asked).map((one) => (one as { correction: unknown }).correction)

  it('says what is wrong with the count', async () => {
    const { asked, view } = read()
    await press('+', '-', 'h', '[', ']', ',', '.')
    expect(corrected(asked)).toEqual([
      { what: 'doubleTempo' },
      { what: 'halfTempo' },
      { what: 'offBeats' },
      { what: 'shiftBars', beats: -1 },
      { what: 'shiftBars', beats: 1 },
      { what: 'nudge', samples: -480 },
      { what: 'nudge', samples: 480 },
    ])
    view.unmount()
    await press('+')
    expect(asked).toHaveLength(7)
  })

  it('says what is true of the bar that was chosen, and nothing without one', async () => {
    const { asked, view } = read()
    await press('s', 'g', 'l', 'f', '<', '>')
    expect(asked).toEqual([])
    vi.stubGlobal(
      'AudioContext',
      class {
        currentTime = 0
        createGain = () => ({ gain: { value: 1 }, connect: () => {} })
        resume = () => new Promise(() => {})
        close = () => {}
      },
    )
    view.getComponent(BarsPage).vm.$emit('hear', 3)
    await nextTick()
    await press('s', 'g', 'l', 'f', '<', '>')
    expect(corrected(asked)).toEqual([
      // A section begins at bar 3 and somebody sings in it: both are taken away.
      { what: 'join', atSamples: 192_000 },
      { what: 'singing', startSamples: 192_000, endSamples: 288_000, sings: false },
      { what: 'lastHit', atSamples: 192_000 },
      { what: 'fadesFrom', atSamples: 192_000 },
      { what: 'moveBoundary', fromSamples: 192_000, toSamples: 96_000 },
    ])
    view.getComponent(BarsPage).vm.$emit('hear', 4)
    await nextTick()
    await press('s', 'g', '>')
    expect(corrected(asked).slice(5)).toEqual([
      { what: 'split', atSamples: 288_000 },
      { what: 'singing', startSamples: 288_000, endSamples: 384_000, sings: true },
      { what: 'moveBoundary', fromSamples: 192_000, toSamples: 288_000 },
    ])
  })
})

describe('the shape by keyboard', () => {
  const shaped = (level = swell) => testCut({ levels: [level] })
  async function selected(level = swell) {
    const all = stand(ShapeStep, shaped(level))
    all.view.getComponent(SheetView).vm.$emit('select', level, 300, 300)
    await nextTick()
    return all
  }

  it('moves bed and voice against each other where nothing is selected', async () => {
    const { asked } = stand(ShapeStep, shaped())
    await press('[', ']')
    expect(said(asked)).toEqual([
      { about: 'levels', do: 'balance', byDb: 1 },
      { about: 'levels', do: 'balance', byDb: -1 },
    ])
  })

  it('steps the level that is selected by a decibel, up for louder, as often as a key is pressed', async () => {
    const { asked, busy } = await selected()
    busy.value = true
    await press('+', '+', '-')
    const step = { about: 'levels', do: 'step', level: swell.name }
    expect(said(asked)).toEqual([
      { ...step, byDb: 1 },
      { ...step, byDb: 1 },
      { ...step, byDb: -1 },
    ])
  })

  it('asks for nothing of a fade, which has no level', async () => {
    const { asked } = await selected({ ...swell, kind: 'fadeIn' })
    await press('+')
    expect(asked).toEqual([])
  })

  it('sweeps the marked passage where no level is selected', async () => {
    const { asked, view } = stand(ShapeStep, shaped(), { fromS: 3, toS: 7 })
    await press('-')
    await view.get('[data-test=sweep-up]').trigger('click')
    const swept = { about: 'levels', do: 'sweep', startSamples: 144_000, endSamples: 336_000 }
    expect(said(asked)).toEqual([
      { ...swept, byDb: -1 },
      { ...swept, byDb: 1 },
    ])
  })

  it('opens the dip of a phrase when its words are clicked', async () => {
    const name = { kind: 'dip' as const, startSamples: 408_000, endSamples: 552_000 }
    const dip = { ...swell, name, kind: name.kind, startS: 8.5, endS: 11.5, underSpeechDb: 20 }
    const phrases = [{ startS: 9, endS: 11, words: 'one', dip: name }]
    const { view } = stand(ShapeStep, testCut({ levels: [swell, dip], phrases }))
    view.getComponent(SheetView).vm.$emit('phrase', 0, 300, 300)
    await nextTick()
    expect(view.getComponent({ name: 'LevelCard' }).props('level')).toEqual(dip)
  })
})
