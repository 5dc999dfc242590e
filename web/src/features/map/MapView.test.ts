import { mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { layoutMap, MAP } from '../../drawing/map'
import type { BedReading } from '../../drawing/bars'
import type { CutView } from '../../shared/http'
import { fitting, testCut } from '../../shared/testCut'
import MapView from './MapView.vue'

/** A bar line every two seconds of the bed, two sections of thirty. */
function readCut(change: (cut: CutView) => void = () => {}): CutView {
  const cut = testCut()
  cut.bed!.reading = {
    barLinesS: Array.from({ length: 31 }, (_, k) => 2 * k),
    sections: [
      { label: 'A', startS: 0, endS: 30, startBar: 1, endBar: 15 },
      { label: 'B', startS: 30, endS: 60, startBar: 16, endBar: 30 },
    ],
  } as unknown as BedReading
  change(cut)
  return cut
}

function stand(cut = readCut(), triedS: number | null = null) {
  const view = mount(MapView, {
    props: { cut, fitting, triedS, bedWave: null, cutWave: null, positionS: 0, chosenSplice: 0 },
    attachTo: document.body,
  })
  // Nothing has a width here: the map is drawn for 1000 pixels.
  return { view, map: layoutMap(cut, fitting, triedS ?? cut.lengthS, null, null, 1000) }
}

async function drag(view: VueWrapper, test: string, places: [x: number, y?: number][], shiftKey = false) {
  const one = view.get(`[data-test=${test}]`)
  const event = ([clientX, clientY = 0]: [number, number?]) => ({ clientX, clientY, pointerId: 1, shiftKey })
  await one.trigger('pointerdown', event(places[0]!))
  for (const place of places.slice(1)) await one.trigger('pointermove', event(place))
  await one.trigger('pointerup', event(places[places.length - 1]!))
}

/** Presses keys on an element that was come to by keyboard, as fast as they go. */
async function steps(view: VueWrapper, test: string, keys: string[], shiftKey = false) {
  const one = view.get(`[data-test=${test}]`)
  const matches = one.element.matches.bind(one.element)
  one.element.matches = (selector: string) => selector === ':focus-visible' || matches(selector)
  await one.trigger('focus')
  for (const key of keys) await one.trigger('keydown', { key, shiftKey })
}

async function press(key: string, view: VueWrapper) {
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
  await view.vm.$nextTick()
}

const wished = (view: VueWrapper) =>
  (view.emitted('say') as [{ wish: object }][] | undefined)?.map(([said]) => said.wish)

beforeEach(() => {
  document.body.innerHTML = ''
  Element.prototype.setPointerCapture = vi.fn()
})

describe('marking a passage of the bed', () => {
  it('goes from bar line to bar line, and is kept, left out or set free by key', async () => {
    const { view, map } = stand()
    for (const [key, what] of [
      ['k', 'keep'],
      ['o', 'leaveOut'],
      ['f', 'free'],
    ] as const) {
      // Backwards, and a little beside the lines.
      await drag(view, 'bed-ruler', [[map.bedX(15.7)], [map.bedX(12)], [map.bedX(8.4)]])
      await press(key, view)
      expect(wished(view)?.at(-1)).toEqual({ what, startSamples: 384_000, endSamples: 768_000 })
    }
    // What has been said is no longer marked.
    await press('k', view)
    expect(wished(view)).toHaveLength(3)
  })

  it('takes at least a bar, and the whole section with a click', async () => {
    const { view, map } = stand()
    await drag(view, 'bed-ruler', [[map.bedX(8.1)], [map.bedX(8.6)]])
    await view.get('[data-test=keep]').trigger('click')
    await drag(view, 'bed-ruler', [[map.bedX(41)]])
    await view.get('[data-test=leave-out]').trigger('click')
    expect(wished(view)).toEqual([
      { what: 'keep', startSamples: 384_000, endSamples: 480_000 },
      { what: 'leaveOut', startSamples: 1_440_000, endSamples: 2_880_000 },
    ])
  })

  it('is given up by Escape, and by whatever else changes the plan', async () => {
    const { view, map } = stand()
    await drag(view, 'bed-ruler', [[map.bedX(4)], [map.bedX(12)]])
    await press('Escape', view)
    expect(view.find('[data-test=keep]').exists()).toBe(false)
    await drag(view, 'bed-ruler', [[map.bedX(4)], [map.bedX(12)]])
    expect(view.find('[data-test=keep]').exists()).toBe(true)
    await view.setProps({ cut: readCut((cut) => (cut.plan.revision = 2)) })
    await press('k', view)
    expect(view.emitted('say')).toBeUndefined()
  })

  it('leaves keys to whoever is typing', async () => {
    const { view, map } = stand()
    await drag(view, 'bed-ruler', [[map.bedX(4)], [map.bedX(12)]])
    const field = document.body.appendChild(document.createElement('input'))
    field.dispatchEvent(new KeyboardEvent('keydown', { key: 'k', bubbles: true }))
    expect(view.emitted('say')).toBeUndefined()
  })
})

describe('dragging an end of a ribbon', () => {
  const moved = { about: 'fit', do: 'moveSplice', splice: { leaveSamples: 576_000, enterSamples: 2_016_000 } }

  it("moves that side of the splice to a bar line; what the other side does is not the page's to say", async () => {
    const { view, map } = stand()
    await drag(view, 'edge-leave-0', [[map.bedX(12)], [map.bedX(16.3)]])
    await drag(view, 'edge-enter-1', [[map.bedX(42)], [map.bedX(37.8)]], true)
    expect(view.emitted('say')).toEqual([
      [{ ...moved, side: 'leave', toSamples: 768_000, alone: false }],
      [{ ...moved, side: 'enter', toSamples: 1_824_000, alone: true }],
    ])
  })

  it('says nothing when it comes back to its bar line', async () => {
    const { view, map } = stand()
    await drag(view, 'edge-leave-0', [[map.bedX(12)], [map.bedX(20)], [map.bedX(12.4)]])
    expect(view.emitted('say')).toBeUndefined()
  })

  it('has no ends where the bed begins and ends by itself', () => {
    const { view } = stand()
    expect(view.find('[data-test=edge-enter-0]').exists()).toBe(false)
    expect(view.find('[data-test=edge-leave-1]').exists()).toBe(false)
  })
})

describe('pins', () => {
  const below = MAP.ribbonBottom + 4

  it('go from a bar line of the bed to a shot or a moment that is near', async () => {
    const { view, map } = stand()
    // The second shot begins at 8.6 s, a moment is at 12 s.
    await drag(view, 'pin-rail', [
      [map.bedX(20.7), MAP.rail],
      [map.cutX(8.6) + 7, below],
    ])
    await drag(view, 'pin-rail', [
      [map.bedX(50), MAP.rail],
      [map.cutX(12) - 6, below],
    ])
    await drag(view, 'pin-rail', [
      [map.bedX(50), MAP.rail],
      [map.cutX(20), below],
    ])
    const pins = wished(view) as { bedSamples: number; cutSamples: number }[]
    expect(pins.map((pin) => [pin.bedSamples / 48_000, pin.cutSamples / 48_000])).toEqual([
      [20, 8.6],
      [50, 12],
      [50, 20],
    ])
  })

  it('are not set by letting go half-way', async () => {
    const { view, map } = stand()
    await drag(view, 'pin-rail', [
      [map.bedX(20), MAP.rail],
      [map.cutX(8), MAP.rail + 40],
    ])
    expect(view.emitted('say')).toBeUndefined()
  })

  it('are taken out by a click', async () => {
    const { view } = stand()
    await view.get('[data-test=pin]').trigger('click')
    expect(view.emitted('say')).toEqual([
      [{ about: 'fit', do: 'takeBack', wish: { what: 'pin', cutSamples: 384_000 } }],
    ])
  })
})

describe('the end of the cut', () => {
  it('is dragged to try a length and let go to take it', async () => {
    const { view, map } = stand()
    const perPx = 30 / (map.right - 8)
    await drag(view, 'cut-end', [[900], [1000], [0]])
    const tried = view.emitted('tryLength')!.map(([seconds]) => seconds as number)
    expect(tried[0]).toBeCloseTo(30 + 100 * perPx, 6)
    // Never shorter than two seconds.
    expect(tried[1]).toBeCloseTo(Math.max(2, 30 - 900 * perPx), 6)
    // Nothing is tried by now: whoever holds the map has let it go.
    expect(view.emitted('setLength')).toBeUndefined()
    const trying = stand(readCut(), 42.5)
    await drag(trying.view, 'cut-end', [[900], [901]])
    expect(trying.view.emitted('setLength')).toEqual([[42.5]])
  })

  it('goes by seconds and frames with the arrow keys, and Enter takes it', async () => {
    const { view } = stand(readCut(), 31)
    const end = view.get('[data-test=cut-end]')
    await end.trigger('keydown', { key: 'ArrowRight' })
    await end.trigger('keydown', { key: 'ArrowLeft' })
    await end.trigger('keydown', { key: 'ArrowLeft', shiftKey: true })
    await end.trigger('keydown', { key: 'Tab' })
    await end.trigger('keydown', { key: 'Enter' })
    expect(view.emitted('tryLength')!.map(([s]) => s)).toEqual([32, 30, 31 - 1 / 25])
    expect(view.emitted('setLength')).toEqual([[31]])
  })
})

it('seeks in the cut and chooses a splice where they are clicked', async () => {
  const { view, map } = stand()
  await view.get('[data-test=cut-ruler]').trigger('click', { clientX: map.cutX(21) })
  await view.get('[data-test=map-splice]').trigger('click')
  expect(view.emitted('seek')![0]![0]).toBeCloseTo(21, 6)
  expect(view.emitted('splice')).toEqual([[0]])
})

describe('how the bed begins and ends', () => {
  const own = (cut: CutView) => ((cut.bed!.reading as { ending: string }).ending = 'ownEnding')

  it('stands on both rulers while it is kept, and a click lets it go', async () => {
    const { view } = stand(readCut(own))
    expect(view.findAll('[data-test=as-begins] text').map((one) => one.text())).toEqual([
      'as it begins',
      'as it begins',
    ])
    await view.get('[data-test=as-begins]').trigger('click')
    await view.get('[data-test=as-ends]').trigger('keydown', { key: 'Enter' })
    expect(wished(view)).toEqual([
      { what: 'start', kind: 'cold' },
      { what: 'end', kind: 'stop' },
    ])
  })

  it('is asked for again where it was let go', async () => {
    const cut = readCut((one) => {
      own(one)
      one.plan.wishes.start = 'cold'
    })
    const { view } = stand(cut)
    await view.setProps({ fitting: { ...fitting, start: 'cold' } })
    expect(view.get('[data-test=as-begins]').text()).toContain('begin as it begins')
    await view.get('[data-test=as-begins]').trigger('click')
    expect(wished(view)).toEqual([{ what: 'start', kind: 'free' }])
  })
})

describe('the map by keyboard', () => {
  beforeEach(() => void vi.useFakeTimers())
  afterEach(() => void vi.useRealTimers())

  it('marks one section after another, and moves the end by a bar', async () => {
    const { view } = stand()
    await steps(view, 'bed-ruler', ['ArrowRight', 'ArrowRight'])
    await steps(view, 'bed-ruler', ['ArrowLeft', 'ArrowLeft'], true)
    await press('k', view)
    expect(wished(view)).toEqual([{ what: 'keep', startSamples: 1_440_000, endSamples: 56 * 48_000 }])
  })

  it('moves a side of a splice by bar lines, a burst of keys at once', async () => {
    const { view } = stand()
    await steps(view, 'edge-leave-0', ['ArrowRight', 'ArrowRight', 'ArrowRight', 'ArrowLeft'])
    expect(view.get('[data-test=edge-leave-0]').attributes('aria-valuetext')).toBe('bar 9')
    expect(view.emitted('say')).toBeUndefined()
    vi.advanceTimersByTime(300)
    const splice = { leaveSamples: 576_000, enterSamples: 2_016_000 }
    const change = { about: 'fit', do: 'moveSplice', splice, side: 'leave', toSamples: 768_000, alone: false }
    expect(view.emitted('say')).toEqual([[change]])
  })

  it('pins a bar line where the playhead is, moves the pin by frames, and takes it out', async () => {
    const { view } = stand()
    await view.setProps({ positionS: 11 })
    await steps(view, 'pin-rail', ['ArrowRight', 'ArrowRight'])
    await steps(view, 'pin-rail', ['ArrowRight', 'Enter'], true)
    expect(wished(view)).toEqual([{ what: 'pin', bedSamples: 12 * 48_000, cutSamples: 11 * 48_000 }])
    const { bedS, cutS } = testCut().plan.wishes.pins[0]!
    await steps(view, 'pin', ['ArrowLeft', 'ArrowLeft'])
    vi.advanceTimersByTime(300)
    expect(wished(view)![1]).toEqual({
      what: 'pin',
      bedSamples: Math.round(bedS * 48_000),
      cutSamples: Math.round((cutS - 2 / 25) * 48_000),
    })
    await steps(view, 'pin', ['Delete'])
    expect(wished(view)![2]).toEqual({ what: 'pin', cutSamples: 384_000 })
  })

  it('leaves arrow keys to the page where somebody only clicked', async () => {
    const { view } = stand()
    const event = new KeyboardEvent('keydown', { key: 'ArrowRight', bubbles: true, cancelable: true })
    view.get('[data-test=bed-ruler]').element.dispatchEvent(event)
    expect(event.defaultPrevented).toBe(false)
    expect(view.find('[data-test=keep]').exists()).toBe(false)
  })

  it('opens a splice', async () => {
    const { view } = stand()
    await view.get('[data-test=map-splice]').trigger('keydown', { key: 'Enter' })
    expect(view.emitted('splice')).toEqual([[0]])
  })
})
