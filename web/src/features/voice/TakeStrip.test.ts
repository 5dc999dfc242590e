import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import type { TakeView, WaveformView } from '../../shared/http'
import TakeStrip from './TakeStrip.vue'

const take = {
  hash: 'a',
  name: 'first.wav',
  origin: 'file',
  atS: 10,
  lengthS: 20,
  phrases: [
    { startS: 12, endS: 16, used: true },
    { startS: 20, endS: 26, used: false },
  ],
} as unknown as TakeView
const wave: WaveformView = { peaks: [0, 0.5, 1, 0.5], stepS: 5 }

describe('a take over the length of the cut', () => {
  it('lies where it is heard, its waveform from its first sample to its last', () => {
    const view = mount(TakeStrip, { props: { take, lengthS: 40, wave } })
    const xs = [
      ...view
        .get('[data-test=take-wave]')
        .attributes('d')!
        .matchAll(/[ML](\d+) /g),
    ].map((m) => Number(m[1]))
    // From 10 s of 40 to 30 s of 40, drawn a thousand wide.
    expect([Math.min(...xs), Math.max(...xs)]).toEqual([250, 750])
    const left = view.findAll('button').map((phrase) => (phrase.element as HTMLElement).style.left)
    expect(left).toEqual(['30%', '50%'])
  })

  it('goes to a phrase that is heard and uses one that is not', async () => {
    const view = mount(TakeStrip, { props: { take, lengthS: 40, wave: undefined } })
    expect(view.find('[data-test=take-wave]').exists()).toBe(false)
    for (const phrase of view.findAll('button')) await phrase.trigger('click')
    expect(view.emitted('seek')).toEqual([[12]])
    expect(view.emitted('use')).toEqual([[take.phrases![1]]])
  })

  it('is not drawn past the end of the cut', () => {
    const view = mount(TakeStrip, { props: { take, lengthS: 20, wave } })
    const xs = [
      ...view
        .get('[data-test=take-wave]')
        .attributes('d')!
        .matchAll(/[ML](\d+) /g),
    ].map((m) => Number(m[1]))
    expect(Math.max(...xs)).toBe(1000)
  })
})
