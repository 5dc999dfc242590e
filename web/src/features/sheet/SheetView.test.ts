import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { swell, testCut } from '../../shared/testCut'
import SheetView from './SheetView.vue'

const level = { ...swell, byHand: true }
const cut = testCut({ fittings: [], barLines: [], levels: [level], phrases: [] })
cut.shots = [{ ...cut.shots[0]!, name: '<b>tower</b>' }]
cut.moments = []

function sheet(positionS = 0) {
  return mount(SheetView, {
    props: { cut, waveform: null, secondsPerLine: 15, positionS, passage: { fromS: 13, toS: 17 }, selected: level },
  })
}

describe('the sheet view', () => {
  it('gives the swell that was clicked', async () => {
    const view = sheet()
    const pin = view.get('[data-test=hairpin]')
    pin.element.setPointerCapture = () => undefined
    await pin.trigger('pointerdown', { clientX: 100, clientY: 50 })
    await pin.trigger('pointerup', { clientX: 100, clientY: 50 })
    expect(view.emitted('select')?.[0]?.[0]).toEqual(level)
  })

  it('changes length and level by the wedge', async () => {
    const view = sheet()
    const pin = view.get('[data-test=hairpin]')
    pin.element.setPointerCapture = () => undefined
    await pin.trigger('pointerdown', { clientX: 100, clientY: 50 })
    await pin.trigger('pointermove', { clientX: 100, clientY: 30 })
    await pin.trigger('pointerup', { clientX: 100, clientY: 30 })
    expect(view.emitted('change')?.[0]?.[1]).toEqual({ underSpeechDb: level.underSpeechDb - 5 })
  })

  it('shows what was set by hand, and what is selected', () => {
    expect(sheet().get('.hairpin').classes()).toEqual(expect.arrayContaining(['hand', 'selected']))
  })

  it('shades a passage on every line that it touches, and draws one playhead', () => {
    expect(sheet().findAll('rect.passage')).toHaveLength(2)
    const lines = sheet(20).findAll('line.play')
    expect(lines).toHaveLength(1)
  })

  it('keeps markup in names as text', () => {
    expect(sheet().html()).toContain('&lt;b&gt;tower&lt;/b&gt;')
  })
})
