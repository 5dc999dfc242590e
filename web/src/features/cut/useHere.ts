import { useDocumentVisibility, useEventListener, useIntervalFn, watchThrottled } from '@vueuse/core'
import { onUnmounted, type Ref } from 'vue'
import { answer, server } from '../../shared/http'
import { me } from '../../shared/me'
import { samples } from '../../shared/words'
import type { Step } from '../../router'
import type { Listening } from '../listening/useListening'
import { WINDOW } from './useCut'

/** The server forgets who is not heard of for 12 s. */
const OFTEN_MS = 5000
const MOVED_MS = 600

/** Tells the others on a cut where this window is: its step, its playhead, what is marked. */
export function useHere(id: Ref<string>, step: Ref<Step>, listening: Listening) {
  const visible = useDocumentVisibility()
  const { positionS, passage } = listening
  const place = () => ({
    window: WINDOW,
    step: step.value as string | null,
    atSamples: samples(positionS.value),
    fromSamples: passage.value ? samples(passage.value.fromS) : null,
    toSamples: passage.value ? samples(passage.value.toS) : null,
  })
  function say() {
    // Who is alone in the house has nobody to tell.
    if (!me.value?.person || visible.value === 'hidden') return
    const params = { path: { id: id.value } }
    // Nobody waits for it, and the next one says it again.
    void answer(server.POST('/api/cuts/{id}/here', { params, body: place() })).catch(() => undefined)
  }
  function leave() {
    if (!me.value?.person) return
    const body = new Blob([JSON.stringify({ ...place(), step: null })], { type: 'application/json' })
    navigator.sendBeacon?.(`/api/cuts/${id.value}/here`, body)
  }
  watchThrottled(() => JSON.stringify(place()), say, { throttle: MOVED_MS, trailing: true, immediate: true })
  useIntervalFn(say, OFTEN_MS)
  useEventListener(window, 'pagehide', leave)
  onUnmounted(leave)
}
