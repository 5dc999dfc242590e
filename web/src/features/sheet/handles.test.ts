import { mount } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import { layoutSheet } from '../../drawing/sheet'
import type { LaneView } from '../../drawing/lanes'
import type { LevelView } from '../../shared/http'
import { swell, testCut } from '../../shared/testCut'
import { sheetHandles } from './handles'
import SheetHandles from './SheetHandles.vue'

const passage: LevelView = {
  ...swell,
  kind: 'sweep',
  name: { kind: 'sweep', startSamples: 480_000, endSamples: 720_000 },
  startS: 10,
  endS: 15,
  gainDb: -6,
}
const fade = (kind: 'fadeIn' | 'fadeOut', startS: number): LevelView => ({
  ...swell,
  kind,
  name: { kind, startSamples: startS * 48_000, endSamples: (startS + 2) * 48_000 },
  startS,
  endS: startS + 2,
  riseS: kind === 'fadeIn' ? 2 : 0,
  fallS: kind === 'fadeOut' ? 2 : 0,
})
const sea: LaneView = {
  lane: { of: 'ambience', sound: 'sea' },
  name: 'sea.wav',
  rule: 'low',
  startS: 2,
  endS: 28,
  levels: [fade('fadeIn', 2), fade('fadeOut', 26), passage],
}
const cut = testCut({ lanes: [sea] })
const sheet = layoutSheet(cut, null, 15, 1062, 130)
const handles = sheetHandles(cut, sheet, 15)
const called = (label: string) => {
  const found = handles.find((one) => one.label.startsWith(label))
  if (!found) throw new Error(`no handle "${label}" among ${handles.map((one) => one.label).join(', ')}`)
  return found
}

describe('handles of the sheet', () => {
  it('has one for whatever lies at a moment, where it lies', () => {
    expect(called('sea begins')).toMatchObject({ line: 0, x: sheet.x(0, 2), atS: 2 })
    expect(called('sea ends')).toMatchObject({ line: 1, x: sheet.x(1, 28) })
    expect(called('sea, faded in').atS).toBe(4)
    expect(called('swell, risen').atS).toBeCloseTo(9.2)
    expect(called('moment strike').line).toBe(0)
    // The end of a passage that is the end of a line lies there.
    expect(called('sea, passage of −6 dB, to')).toMatchObject({ line: 0, x: sheet.right })
  })

  it('says what is meant by taking each of them elsewhere', () => {
    const lane = sea.lane
    expect(called('sea begins').at(3)).toMatchObject({ do: 'ambience', sound: 'sea', startSamples: 144_000 })
    expect(called('sea, faded out').at(25)).toMatchObject({ do: 'set', lane, change: { fallS: 3 } })
    expect(called('sea, passage of −6 dB, from').at(9)).toMatchObject({ lane, change: { startSamples: 432_000 } })
    expect(called('moment strike').at(13)).toMatchObject({ do: 'changeMoment', frame: 325, moment: { frame: 300 } })
    expect(called('sea, passage of −6 dB, from').louder?.(1)).toMatchObject({ do: 'step', lane, byDb: 1 })
    const film = { ...sea, lane: { of: 'film' as const }, name: 'film' }
    const ofFilm = sheetHandles(testCut({ lanes: [film] }), sheet, 15)
    expect(ofFilm.find((one) => one.label === 'film ends')?.at(20)).toMatchObject({
      do: 'sound',
      untilSamples: 960_000,
    })
  })

  it('moves by arrows, with Shift by seconds, and never beyond its ends', async () => {
    vi.useFakeTimers()
    const view = mount(SheetHandles, { props: { handles, sheet, marksS: [] } })
    const slider = view.get('[aria-label="sea begins"]')
    expect(slider.attributes()).toMatchObject({ role: 'slider', tabindex: '0', 'aria-valuetext': 'sea begins 0:02.0' })
    const burst = () => vi.advanceTimersByTimeAsync(300)
    await slider.trigger('keydown', { key: 'ArrowRight' })
    await slider.trigger('keydown', { key: 'ArrowRight' })
    await slider.trigger('keydown', { key: 'ArrowRight', shiftKey: true })
    expect(slider.attributes('aria-valuetext')).toBe('sea begins 0:03.2')
    expect(view.emitted('say')).toBeUndefined()
    await burst()
    const edge = view.get('[aria-label="sea, passage of −6 dB, from"]')
    await edge.trigger('keydown', { key: 'ArrowUp' })
    await edge.trigger('keydown', { key: 'ArrowUp' })
    expect(edge.text()).toBe('+2 dB')
    await burst()
    const said = view.emitted('say')?.map(([change]) => change)
    expect(said?.[0]).toMatchObject({ startSamples: 153_600 })
    expect(said?.[1]).toMatchObject({ do: 'step', byDb: 2 })
    const first = { ...called('sea begins'), atS: 0 }
    await view.setProps({ handles: [first] })
    await view.get('[aria-label="sea begins"]').trigger('keydown', { key: 'ArrowLeft' })
    await burst()
    expect(view.emitted('say')).toHaveLength(2)
    await view.get('[aria-label="sea begins"]').trigger('keydown', { key: 'Enter' })
    expect(view.emitted('open')).toHaveLength(1)
    vi.useRealTimers()
  })

  it('is dragged, lies on a moment that it comes near, and opens when it is clicked', async () => {
    const view = mount(SheetHandles, { props: { handles, sheet, marksS: [12] } })
    const slider = view.get('[aria-label="sea begins"]')
    slider.element.setPointerCapture = () => undefined
    const x = sheet.x(0, 12) + 4
    await slider.trigger('pointerdown', { clientX: sheet.x(0, 2), clientY: 5 })
    await slider.trigger('pointermove', { clientX: x, clientY: 5 })
    expect(view.get('.where').text()).toBe('0:12.0')
    await slider.trigger('pointerup', { clientX: x, clientY: 5 })
    expect(view.emitted('say')?.[0]?.[0]).toMatchObject({ startSamples: 576_000 })
    const tip = view.get('[aria-label="sea, faded in until"]')
    tip.element.setPointerCapture = () => undefined
    await tip.trigger('pointerdown', { clientX: 100, clientY: 5 })
    await tip.trigger('pointerup', { clientX: 100, clientY: 5 })
    expect(view.emitted('open')?.[0]?.[0]).toMatchObject({ label: 'sea, faded in until' })
    // Escape lets go.
    await slider.trigger('pointerdown', { clientX: 100, clientY: 5 })
    await slider.trigger('pointermove', { clientX: 400, clientY: 5 })
    document.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape' }))
    await slider.trigger('pointerup', { clientX: 400, clientY: 5 })
    expect(view.emitted('say')).toHaveLength(1)
  })
})
