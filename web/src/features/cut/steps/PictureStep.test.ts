import { shallowMount } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { computed, nextTick, ref } from 'vue'
import type { CutView } from '../../../shared/http'
import type { Listening } from '../../listening/useListening'
import type { CutActions } from '../useCut'
import PictureStep from './PictureStep.vue'

const shot = (name: string, frame: number) => ({
  name,
  frame,
  atS: frame / 25,
  lengthS: 4,
  timecode: `tc ${frame}`,
  still: false,
  byHand: false,
})

function stand() {
  const edits: unknown[] = []
  const actions = {
    say: vi.fn(async (edit: unknown) => {
      edits.push(edit)
      return true
    }),
    busy: ref(false),
  }
  const listening = { frame: computed(() => 120), positionS: ref(4.8), step: vi.fn(), seek: vi.fn() }
  const cut = {
    title: 'Test',
    lengthTimecode: '00:00:20:00',
    firstTimecode: '00:00:00:00',
    rate: { num: 25, den: 1, dropFrame: false, label: '25' },
    shots: [shot('tower', 0), shot('hall', 120)],
    moments: [{ name: 'lid', frame: 30, atS: 1.2, timecode: 'tc 30', kind: 'hit', byHand: true }],
    list: {
      file: 'a.edl',
      format: 'CMX 3600 edit list',
      used: '2 shots',
      changes: ['hall begins 3 frames later'],
      unused: [{ line: 7, text: '<b>odd</b>', reason: 'not understood' }],
    },
  } as unknown as CutView
  const view = shallowMount(PictureStep, {
    props: { cut, actions: actions as unknown as CutActions, listening: listening as unknown as Listening },
    // The build resolves the components of Ant Design; here they are bare elements.
    global: { config: { warnHandler: () => {} } },
    attachTo: document.body,
  })
  return { view, edits }
}

const press = (key: string, target: EventTarget = document.body) =>
  target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))

describe('the picture step', () => {
  beforeEach(() => (document.body.innerHTML = ''))

  it('marks where the film stands, by key', async () => {
    const { view, edits } = stand()
    for (const key of ['e', 'h', 't', 'c', 'o']) press(key)
    await nextTick()
    expect(edits).toEqual([
      { about: 'picture', do: 'beginShot', frame: 120, name: '' },
      ...['hit', 'title', 'credits', 'other'].map((kind) => ({
        about: 'picture',
        do: 'markMoment',
        frame: 120,
        kind,
        name: '',
      })),
    ])
    view.unmount()
    press('e')
    expect(edits).toHaveLength(5)
  })

  it('leaves typing alone, and removes only what is selected', async () => {
    const { view, edits } = stand()
    const input = document.createElement('input')
    document.body.append(input)
    press('h', input)
    press('Delete')
    expect(edits).toEqual([])
    await view.findAll('[data-test=shot-row] button')[1]?.trigger('click')
    expect(view.get('[data-test=mark-editor]').text()).toContain('Shot 2')
    press('Delete')
    expect(edits).toEqual([{ about: 'picture', do: 'removeShot', shot: 120 }])
  })

  it('tells what changed and what was not used, as text', () => {
    const { view } = stand()
    const report = view.get('[data-test=list-report]')
    expect(report.text()).toContain('1 line not used')
    expect(report.text()).toContain('hall begins 3 frames later')
    expect(report.text()).toContain('<b>odd</b> not understood')
  })
})
