import { onScopeDispose } from 'vue'

/** Keys that come faster than this are one change, in ms. */
const BURST_MS = 250

/** What a burst of keys asks for is said once, when no more keys come. */
export function useBurst() {
  let timer: ReturnType<typeof setTimeout> | undefined
  let waiting: (() => void) | null = null
  function now() {
    clearTimeout(timer)
    const work = waiting
    waiting = null
    work?.()
  }
  function forget() {
    clearTimeout(timer)
    waiting = null
  }
  onScopeDispose(forget)
  return {
    /** Says it later, in place of what waits. */
    later(work: () => void) {
      clearTimeout(timer)
      waiting = work
      timer = setTimeout(now, BURST_MS)
    },
    /** Says what waits at once. */
    now,
    forget,
  }
}
