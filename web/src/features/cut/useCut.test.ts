import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, ref } from 'vue'
import type { CutView } from '../../shared/http'
import { useCut } from './useCut'

const view = (revision: number, jobs: { follows: boolean; state: string }[] = []) =>
  ({ id: 'a', asOf: revision, plan: { revision }, jobs }) as unknown as CutView

const correct = (what: 'doubleTempo' | 'halfTempo') =>
  ({ about: 'reading', do: 'correct', correction: { what } }) as const
/** What a change is answered with; the page asks for the cut then. */
const told = { revision: 0 }

/** A cut in a page whose server gives `answers` one after the other and keeps what it was asked. */
async function page(...answers: unknown[]) {
  const asked: { revision?: number }[] = []
  class Events extends EventTarget {
    static last: Events
    constructor() {
      super()
      Events.open++
      Events.last = this
    }
    close() {
      Events.open--
    }
    static open = 0
  }
  vi.stubGlobal('EventSource', Events)
  vi.stubGlobal('fetch', async (request: Request) => {
    if (request.method !== 'GET') asked.push((await request.json()) as { revision?: number })
    return new Response(JSON.stringify(answers.shift()), { headers: { 'content-type': 'application/json' } })
  })
  let actions!: ReturnType<typeof useCut>
  mount(defineComponent({ setup: () => ((actions = useCut(ref('a'))), () => null) }))
  await flushPromises()
  /** What the server tells by itself. */
  const event = async (told: CutView) => {
    const { onmessage } = Events.last as unknown as { onmessage: (event: MessageEvent) => void }
    onmessage(new MessageEvent('message', { data: JSON.stringify(told) }))
    await flushPromises()
  }
  return { actions, asked, event, connections: () => Events.open }
}

afterEach(() => vi.unstubAllGlobals())

describe('a cut in the page', () => {
  it('makes a change on top of what the one before it made', async () => {
    const { actions, asked, event } = await page(
      view(1),
      told,
      view(1, [{ follows: true, state: 'running' }]),
      told,
      view(4),
    )
    const first = actions.say(correct('doubleTempo'))
    const second = actions.say(correct('halfTempo'))
    expect(await first).toBe(true)
    await flushPromises()
    expect(asked.map((a) => a.revision)).toEqual([1])
    await event(view(3))
    expect(await second).toBe(true)
    expect(asked.map((a) => a.revision)).toEqual([1, 3])
  })

  it('holds no connection while nobody sees it, and shows what happened meanwhile when it is seen again', async () => {
    const { actions, connections } = await page(view(1), view(5), view(6))
    expect(connections()).toBe(1)
    const seen = async (state: string) => {
      vi.spyOn(document, 'visibilityState', 'get').mockReturnValue(state as DocumentVisibilityState)
      document.dispatchEvent(new Event('visibilitychange'))
      await flushPromises()
    }
    await seen('hidden')
    expect(connections()).toBe(0)
    expect(actions.cut.value?.plan.revision).toBe(1)
    await seen('visible')
    expect(connections()).toBe(1)
    expect(actions.cut.value?.plan.revision).toBe(5)
    window.dispatchEvent(new Event('pagehide'))
    expect(connections()).toBe(0)
    window.dispatchEvent(Object.assign(new Event('pageshow'), { persisted: true }))
    await flushPromises()
    expect(connections()).toBe(1)
    expect(actions.cut.value?.plan.revision).toBe(6)
  })

  it('waits for nothing that leaves the plan alone, or that failed', async () => {
    const other = [
      { follows: false, state: 'running' },
      { follows: true, state: 'failed' },
    ]
    const { actions, asked } = await page(view(2, other), told, view(3, other), told, view(4))
    expect(await actions.say(correct('doubleTempo'))).toBe(true)
    expect(await actions.say(correct('halfTempo'))).toBe(true)
    expect(asked.map((a) => a.revision)).toEqual([2, 3])
  })
})
