import { mount } from '@vue/test-utils'
import antd from 'ant-design-vue'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { CutView, LevelView } from '../../shared/http'
import NumberField from '../../shared/NumberField.vue'
import { swell, testCut } from '../../shared/testCut'
import FiguresPanel from './FiguresPanel.vue'
import LevelCard from './LevelCard.vue'

type Shape = CutView['plan']['shape']
const { shape, forms } = testCut().plan
const figure = (name: string, value: unknown) => [{ about: 'levels', do: 'figure', figure: name, value }]
function cut(levels: LevelView[] = [swell], more: Partial<Shape> = {}): CutView {
  return testCut({ shape: { ...shape, ...more }, levels, phrases: [{ startS: 6, endS: 8 }] })
}
const global = { plugins: [antd] }

// The figures of the house are asked for.
beforeEach(() => void vi.stubGlobal('fetch', async () => Response.json([])))

describe('the figures', () => {
  const panel = (one = cut()) => mount(FiguresPanel, { props: { cut: one, busy: false, positionS: 12 }, global })

  it('move bed and voice against each other with one knob', async () => {
    const one = panel()
    await one.get('[data-test=more-voice]').trigger('click')
    expect(one.emitted('levels')).toEqual([[{ about: 'levels', do: 'balance', byDb: 1 }]])
  })

  it('name what the bed lies under, and set its loudness where that is nothing', async () => {
    const under = (bedAgainst: CutView['plan']['bedAgainst']) => panel(testCut({ bedAgainst }))
    expect(under('voice').find('[data-test=under-speech]').exists()).toBe(true)
    const film = under('film')
    expect(film.find('[data-test=under-speech]').exists()).toBe(false)
    expect(film.text()).toContain('under the film’s own sound')
    expect(film.find('[data-test=even-voice]').exists()).toBe(false)
    const itself = under('itself')
    itself.findComponent(NumberField).vm.$emit('set', -18)
    await itself.get('[data-test=more-voice]').trigger('click')
    expect(itself.emitted('levels')).toEqual([
      figure('bedAloneLufs', -18),
      [{ about: 'levels', do: 'balance', byDb: 1 }],
    ])
  })

  it('ask for the forms that the server knows, and take them back', async () => {
    const one = panel()
    await one.get('[data-test=opening]').trigger('change')
    expect(one.emitted('levels')?.[0]).toEqual(figure('opening', forms.opening))
    const open = panel(cut([], { opening: forms.opening as Shape['opening'] }))
    await open.get('[data-test=opening]').trigger('change')
    expect(open.emitted('levels')?.[0]).toEqual(figure('opening', null))
  })

  it('show and set the loudness of the whole by its place in the list of the server', async () => {
    const choice = (one: ReturnType<typeof panel>) =>
      one.findAllComponents({ name: 'ASelect' }).find((s) => s.attributes('data-test') === 'target')!
    expect(choice(panel()).props('value')).toBe(0)
    const one = panel(cut([], { targetLufs: -23 }))
    expect(choice(one).props('value')).toBe(1)
    choice(one).vm.$emit('change', 0)
    expect(one.emitted('levels')?.[0]).toEqual(figure('targetLufs', null))
  })

  it('let the voice enter after the bed has been alone', async () => {
    const one = panel()
    await one.get('[data-test=enter]').trigger('click')
    expect(one.emitted('voice')).toEqual([[{ about: 'voice', do: 'enter', aloneSamples: 288_000, on: 'downbeat' }]])
  })

  it('show a film sound only where there is one', () => {
    expect(panel().find('[data-test=film-sound]').exists()).toBe(false)
    const film = { hasSound: true, soundOn: true, gainDb: 0, rule: 'low', heardFromS: 0, heardUntilS: 20 }
    const one = panel({ ...cut(), film } as unknown as CutView)
    expect(one.get('[data-test=film-sound]').text()).toContain('0:20.0')
  })
})

describe('the card of a level', () => {
  const card = (level: LevelView, all = [level]) =>
    mount(LevelCard, { props: { cut: cut(all), level, busy: false }, global })

  it('says only what was changed', async () => {
    const one = card(swell)
    const field = one.get('[data-test=level-db]')
    await field.trigger('blur')
    expect(one.emitted('change')).toBeUndefined()
    await field.setValue('3')
    await field.trigger('blur')
    expect(one.emitted('change')).toEqual([[{ underSpeechDb: 3 }]])
  })

  it('sets the others of its kind alike, and leaves other kinds alone', async () => {
    const others: LevelView[] = [
      { ...swell, name: { ...swell.name, startSamples: 5 } },
      { ...swell, name: { ...swell.name, kind: 'dip' }, kind: 'dip' },
    ]
    const one = card(swell, [swell, ...others])
    const button = one.findAll('button').find((b) => b.text() === 'Set all 2 so')
    await button?.trigger('click')
    expect(one.emitted('change')).toEqual([[{ underSpeechDb: 7 }, [{ ...swell.name, startSamples: 5 }]]])
  })

  it('raises or lowers a passage, and can take that away', async () => {
    const one = card({ ...swell, kind: 'sweep', gainDb: -3, byHand: true, riseS: 0, fallS: 0 })
    await one.get('[data-test=sweep-db]').setValue('-5')
    await one.get('[data-test=sweep-db]').trigger('blur')
    expect(one.emitted('change')).toEqual([[{ gainDb: -5 }]])
    expect(one.get('[data-test=give-back]').text()).toBe('Take it away')
  })
})
