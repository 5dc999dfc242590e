import { mount } from '@vue/test-utils'
import antd from 'ant-design-vue'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { CloseUp } from '../../shared/http'
import { fitting, testCut } from '../../shared/testCut'
import SpliceCloseUp from './SpliceCloseUp.vue'

const seen = {
  startS: -0.6,
  stepS: 0.1,
  leaving: Array(12).fill(0.4),
  entering: Array(12).fill(0.2),
  leavingBeatsS: [0],
  enteringBeatsS: [0],
  fadeStartS: -0.042,
  fadeEndS: -0.012,
  gains: [
    [1, 0],
    [0, 1],
  ],
  levelStepS: 0.1,
  levelsDb: Array(12).fill(-20),
  jointDb: -0.34,
} as unknown as CloseUp

/** Addresses asked for, each with a way to answer it. */
let asked: { url: string; give: (view: CloseUp) => void }[] = []
const settled = () => new Promise((resolve) => setTimeout(resolve, 5))

beforeEach(() => {
  asked = []
  vi.stubGlobal(
    'fetch',
    (url: string) =>
      new Promise<Response>((resolve) => asked.push({ url, give: (view) => resolve(Response.json(view)) })),
  )
})

function stand(count = 2) {
  const splice = {
    ...fitting.splices[0]!,
    terms: [
      { name: 'how alike the bars are', cost: 0.42 },
      { name: 'place in the phrase', cost: 0.15 },
    ],
    why: 'the same place of an eight-bar phrase',
    correlation: 0.8,
  }
  return mount(SpliceCloseUp, {
    props: { cut: testCut(), splice, index: 0, count, busy: false },
    global: { plugins: [antd] },
  })
}

const name = { leaveSamples: 576_000, enterSamples: 2_016_000 }
const touch = { about: 'fit', do: 'touch', splice: name }

describe('a splice close up', () => {
  it('looks closer and farther, and shows the answer to the last look', async () => {
    const view = stand()
    expect(asked[0]?.url).toBe('/api/cuts/x/revisions/1/splices/0?reachS=0.6')
    const zoom = view.findAll('button').find((b) => b.text().endsWith('either side'))!
    await zoom.trigger('click')
    expect(zoom.text()).toBe('0.12 s either side')
    await zoom.trigger('click')
    expect(zoom.text()).toBe('30 ms either side')
    asked[2]!.give({ ...seen, jointDb: 0.5 })
    await settled()
    // The first answer comes late and counts for nothing.
    asked[0]!.give({ ...seen, jointDb: -9 })
    await settled()
    expect(view.text()).toContain('level through the joint +0.5 dB')
  })

  it('looks again when the plan is another', async () => {
    const view = stand()
    await view.setProps({ cut: testCut({ revision: 7 }) })
    expect(asked.map((a) => a.url)[1]).toContain('/revisions/7/')
  })

  it('says what it is and why, and what it cost', () => {
    const text = stand().text()
    expect(text).toContain('bar 6 goes on at bar 22')
    expect(text).toContain('96 of 100 hard to hear')
    expect(text).toContain('the same place of an eight-bar phrase')
    expect(text).toContain('how alike the bars are 0.42, place in the phrase 0.15')
    expect(text).toContain('alike in the crossfade (0.8)')
    expect(text).toContain('both meet on the bar line')
  })

  it('says how far beside the bar line both sides meet', async () => {
    const view = stand()
    await view.setProps({ splice: { ...fitting.splices[0]!, laterMs: -576.9 } })
    expect(view.get('[data-test=meets]').text()).toBe('0.58 s before the bar line')
  })

  it('moves sides by a millisecond, a sample and a beat', async () => {
    const view = stand()
    for (const words of ['1 ms earlier', 'later .', '1 sample earlier', 'a beat earlier'])
      await view
        .findAll('button')
        .find((b) => b.text().startsWith(words))!
        .trigger('click')
    expect(view.emitted('say')).toEqual([
      [{ ...touch, nudgeSamples: -48 }],
      [{ ...touch, nudgeSamples: 48 }],
      [{ ...touch, nudgeSamples: -1 }],
      [{ ...touch, laterBeats: -1 }],
    ])
  })

  it('adds up what is asked for while the move before is made', async () => {
    const view = stand()
    const close = view.vm as unknown as { nudge: (samples: number) => void; later: (beats: number) => void }
    close.nudge(48)
    await view.setProps({ busy: true })
    for (let k = 0; k < 3; k++) close.nudge(48)
    close.nudge(-1)
    close.later(1)
    expect(view.emitted('say')).toEqual([[{ ...touch, nudgeSamples: 48 }]])
    await view.setProps({ busy: false })
    expect(view.emitted('say')![1]).toEqual([{ ...touch, nudgeSamples: 143, laterBeats: 1 }])
    // Nothing is left over, and what cancels itself out is not said.
    await view.setProps({ busy: true })
    close.nudge(1)
    close.nudge(-1)
    await view.setProps({ busy: false })
    expect(view.emitted('say')).toHaveLength(2)
  })

  it('forgets what was asked of a splice when another one is at hand', async () => {
    const view = stand()
    const close = view.vm as unknown as { nudge: (samples: number) => void }
    await view.setProps({ busy: true })
    close.nudge(48)
    const other = { ...fitting.splices[0]!, name: { leaveSamples: 1, enterSamples: 2 } }
    await view.setProps({ splice: other })
    await view.setProps({ busy: false })
    expect(view.emitted('say')).toBeUndefined()
  })

  it('crosses longer and by another law, or somewhere else', async () => {
    const view = stand()
    const field = view.get('input[aria-label="Length of the crossfade in milliseconds"]')
    await field.setValue('80')
    await field.trigger('blur')
    view.findComponent({ name: 'ASelect' }).vm.$emit('change', 'equalGain')
    await view.get('[data-test=next-best]').trigger('click')
    expect(view.emitted('say')).toEqual([
      [{ ...touch, fadeSamples: 3840 }],
      [{ ...touch, law: 'equalGain' }],
      [{ about: 'fit', do: 'wish', wish: { what: 'noSplice', ...name } }],
    ])
  })

  it('goes round the splices, and has nowhere to go from the only one', async () => {
    const view = stand(3)
    await view
      .findAll('button')
      .find((b) => b.text().includes('splice before'))!
      .trigger('click')
    expect(view.emitted('go')).toEqual([[2]])
    expect(stand(1).text()).not.toContain('splice before')
  })
})
