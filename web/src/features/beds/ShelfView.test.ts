import { mount } from '@vue/test-utils'
import { Button, Input, Select, SelectOption } from 'ant-design-vue'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { ref } from 'vue'
import { ask } from '../../shared/ask'
import type { CutView } from '../../shared/http'
import type { CutActions } from '../cut/useCut'
import type { Listening } from '../listening/useListening'
import ShelfView from './ShelfView.vue'

vi.mock('../../shared/ask', () => ({ ask: vi.fn() }))

const piece = (id: string, objection: string | null) => ({
  id,
  title: id,
  maker: 'Somebody',
  style: 'style',
  moods: ['bright'],
  tempoBpm: 104,
  metre: 4,
  lengthS: 90,
  singing: false,
  terms: 'terms',
  objection,
  taken: false,
})

/** Answers that the test lets go one by one. */
let answers: { url: URL; give: (pieces: unknown[]) => void }[] = []

beforeEach(() => {
  answers = []
  globalThis.fetch = vi.fn(
    (request: RequestInfo | URL) =>
      new Promise<Response>((resolve) => {
        const url = new URL((request as Request).url)
        const give = (pieces: unknown[]) => resolve(Response.json({ supplier: 's', moods: ['bright'], pieces }))
        answers.push({ url, give })
      }),
  )
})

function shelf() {
  const actions = { takePiece: vi.fn(), busy: ref(false) }
  const listening = { playing: ref(false), stop: vi.fn() }
  const cut = { id: 'c', commercial: true, paidPlan: false, candidates: [] } as unknown as CutView
  const view = mount(ShelfView, {
    props: { cut, actions: actions as unknown as CutActions, listening: listening as unknown as Listening },
    global: { components: { AButton: Button, AInput: Input, ASelect: Select, ASelectOption: SelectOption } },
    attachTo: document.body,
  })
  return { view, actions }
}

const settled = () => new Promise((resolve) => setTimeout(resolve, 20))

describe('the shelf', () => {
  it('shows the answer to the last question, even when an earlier one comes later', async () => {
    const { view } = shelf()
    await settled()
    await view.get('input').setValue('waltz')
    await settled()
    expect(answers.map((a) => a.url.searchParams.get('words'))).toEqual([null, 'waltz'])
    answers[1]?.give([piece('rosehip', null)])
    await settled()
    answers[0]?.give([piece('a', null), piece('b', null)])
    await settled()
    expect(view.findAll('[data-test=shelf-piece]').map((row) => row.text())).toEqual([
      expect.stringContaining('rosehip'),
    ])
  })

  it('takes what may be used at once, and asks before it takes what may not', async () => {
    const { view, actions } = shelf()
    await settled()
    answers[0]?.give([piece('free', null), piece('paid', 'This piece needs a paid plan.')])
    await settled()
    const [free, paid] = view.findAll('[data-test=shelf-take]')
    await free?.trigger('click')
    expect(actions.takePiece).toHaveBeenCalledWith('free', false)
    await paid?.trigger('click')
    expect(actions.takePiece).toHaveBeenCalledTimes(1)
    const asked = vi.mocked(ask).mock.calls[0]?.[0]
    expect(asked?.title).toBe('This piece needs a paid plan.')
    asked?.onYes()
    expect(actions.takePiece).toHaveBeenLastCalledWith('paid', true)
  })
})
