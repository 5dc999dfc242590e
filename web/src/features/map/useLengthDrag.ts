import { useEscape } from '../../shared/keys'
import type { Ground } from './ground'
import { hold } from './ground'

const LEAST_S = 2

/** Trying another length of the cut by its end: dragged, or stepped by keys; it is taken when let go or by Enter. */
export function useLengthDrag(
  ground: Ground,
  triedS: () => number | null,
  tryLength: (seconds: number) => void,
  take: (seconds: number) => void,
  leave: () => void,
) {
  let from: { x: number; lengthS: number } | null = null

  function grab(event: PointerEvent) {
    hold(event)
    from = { x: event.clientX, lengthS: ground.cut().lengthS }
  }
  function drag(event: PointerEvent) {
    if (!from) return
    const secondsPerPx = from.lengthS / (ground.map.value.right - 8)
    tryLength(Math.max(LEAST_S, from.lengthS + (event.clientX - from.x) * secondsPerPx))
  }
  useEscape(() => {
    if (from) leave()
    from = null
  })
  function drop() {
    const tried = triedS()
    if (from && tried !== null) take(tried)
    from = null
  }
  function step(event: KeyboardEvent) {
    const { rate, lengthS } = ground.cut()
    const tried = triedS()
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
    if (event.key === 'Enter' && tried !== null) take(tried)
    else if (by) tryLength(Math.max(LEAST_S, (tried ?? lengthS) + by * (event.shiftKey ? rate.den / rate.num : 1)))
    else return
    event.preventDefault()
    event.stopPropagation()
  }

  return { grab, drag, drop, step }
}
