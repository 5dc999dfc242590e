import { mount } from '@vue/test-utils'
import antd from 'ant-design-vue'
import { describe, expect, it, vi } from 'vitest'
import { testReading } from '../../shared/testReading'
import BarsPage from './BarsPage.vue'
import CountCard from './CountCard.vue'

function page(more: object = {}) {
  const props = { reading: testReading(), positionS: 5, playing: false, selected: null, ...more }
  return mount(BarsPage, { props, attachTo: document.body })
}
type Page = ReturnType<typeof page>
const bar = (view: Page, number: number) => view.get(`[data-bar="${number}"]`)

/** The bar that has the keyboard after a key was pressed on another one. */
async function after(view: Page, number: number, key: string) {
  ;(bar(view, number).element as HTMLElement).focus()
  await bar(view, number).trigger('keydown', { key })
  return Number((document.activeElement as HTMLElement).dataset['bar'])
}

describe('the bars on the page', () => {
  it('are heard by a click and walked through by arrow keys, up and down over shorter rows', async () => {
    const view = page()
    await bar(view, 7).trigger('click')
    expect(view.emitted('hear')).toEqual([[7]])
    expect(await after(view, 7, 'ArrowRight')).toBe(8)
    expect(await after(view, 7, 'ArrowLeft')).toBe(6)
    // The second row has four bars: its last one is the nearest to bar 7.
    expect(await after(view, 7, 'ArrowDown')).toBe(12)
    expect(await after(view, 13, 'ArrowUp')).toBe(9)
    expect(await after(view, 1, 'ArrowUp')).toBe(1)
    expect(await after(view, 20, 'ArrowRight')).toBe(20)
    expect(await after(view, 3, 'x')).toBe(3)
  })

  it('mark what is heard only while it plays, and what is chosen', async () => {
    const view = page({ selected: 4 })
    expect(view.findAll('.heard')).toHaveLength(0)
    expect(bar(view, 4).attributes('aria-pressed')).toBe('true')
    await view.setProps({ playing: true })
    expect(view.findAll('.heard').map((b) => b.attributes('data-bar'))).toEqual(['3'])
  })

  it('let a section begin at another bar by dragging its letter, but never the first', async () => {
    const view = page()
    const letters = view.findAll('[data-test=letter]')
    const under = (number: number) => (document.elementFromPoint = vi.fn(() => bar(view, number).element))
    for (const letter of letters) letter.element.setPointerCapture = vi.fn()
    const drag = async (index: number, number: number) => {
      under(number)
      await letters[index]!.trigger('pointerdown', { pointerId: 1 })
      await letters[index]!.trigger('pointermove', { pointerId: 1 })
      await letters[index]!.trigger('pointerup', { pointerId: 1 })
    }
    await drag(0, 5)
    await drag(1, 13)
    expect(view.emitted('moveBoundary')).toBeUndefined()
    await drag(1, 11)
    // Bar 11 begins ten bars of two seconds after 0.5 s.
    expect(view.emitted('moveBoundary')).toEqual([[24.5, 20.5]])
    // What is given up in the middle changes nothing.
    under(9)
    await letters[1]!.trigger('pointerdown', { pointerId: 1 })
    await letters[1]!.trigger('pointermove', { pointerId: 1 })
    await letters[1]!.trigger('pointercancel', { pointerId: 1 })
    await letters[1]!.trigger('pointerup', { pointerId: 1 })
    expect(view.emitted('moveBoundary')).toHaveLength(1)
  })

  it('stand as tables for those who do not see them, names as text', () => {
    const reading = testReading()
    reading.sections[1]!.name = '<b>lift</b>'
    const view = page({ reading })
    const rows = view.findAll('.unseen tr').map((row) => row.text())
    expect(rows[1]).toContain('B <b>lift</b>')
    expect(rows[1]).toContain('bars 13 to 20')
    expect(rows[2]).toContain('15 dB')
  })
})

describe('the count', () => {
  const stand = (more: object = {}, taps = 0) =>
    mount(CountCard, {
      props: { reading: { ...testReading(), ...more }, taps, tapsBpm: taps > 1 ? 118.24 : null },
      global: { plugins: [antd] },
    })

  it('says each way to count otherwise as one correction', async () => {
    const view = stand()
    const press = async (name: string) => await view.get(`[data-test=${name}]`).trigger('click')
    for (const name of ['half', 'double', 'earlier', 'later', 'off-beats', 'tap']) await press(name)
    const nudges = view.findAll('button').filter((b) => /10 ms|^later \.$/.test(b.text()))
    for (const nudge of nudges) await nudge.trigger('click')
    view.findComponent({ name: 'ASelect' }).vm.$emit('update:value', 3)
    expect(view.emitted('say')?.map(([said]) => said)).toEqual([
      { what: 'halfTempo' },
      { what: 'doubleTempo' },
      { what: 'shiftBars', beats: -1 },
      { what: 'shiftBars', beats: 1 },
      { what: 'offBeats' },
      { what: 'nudge', samples: -480 },
      { what: 'nudge', samples: 480 },
      { what: 'metre', beats: 3 },
    ])
    expect(view.emitted('tap')).toHaveLength(1)
  })

  it('tells how sure it is, and what taps make', () => {
    expect(stand().get('[data-test=tempo]').text()).toBe('120.0 BPM')
    expect(stand({ tempoBpm: 0 }).get('[data-test=tempo]').text()).toBe('no beat found')
    const unsure = stand({ beatsSure: 'unsure' })
    expect(unsure.get('.warn').text()).toContain('count along')
    expect(stand().find('[data-test=tapped]').exists()).toBe(false)
    expect(stand({}, 1).get('[data-test=tapped]').text()).toBe('1 tap')
    expect(stand({}, 5).get('[data-test=tapped]').text()).toBe('5 taps, 118.2 BPM')
  })

  it('offers other opinions with what to say for them', async () => {
    const correction = { what: 'doubleTempo' }
    const view = stand({ secondOpinions: [{ words: 'twice as fast', correction, percent: 31 }] })
    await view.get('[data-test=opinion]').trigger('click')
    expect(view.emitted('say')).toEqual([[correction]])
    expect(view.text()).toContain('31 %')
  })
})
