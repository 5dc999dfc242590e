import { ref } from 'vue'
import type { FittingView, Of } from '../../shared/http'
import { useBurst } from '../../shared/burst'
import { useEscape } from '../../shared/keys'
import { samples, secondsOf } from '../../shared/words'
import { byKeyboard, hold, type Ground } from './ground'

type Side = 'leave' | 'enter'

/** Dragging one side of a splice to another bar line. */
export function useSpliceDrag(ground: Ground, fitting: () => FittingView, say: (change: Of<'fit'>) => void) {
  const dragged = ref<{ splice: number; side: Side; toS: number } | null>(null)
  const sideS = (splice: number, side: Side) => {
    const name = fitting().splices[splice]?.name
    return name && secondsOf(side === 'leave' ? name.leaveSamples : name.enterSamples)
  }

  function grab(event: PointerEvent, piece: number, side: Side) {
    hold(event)
    const splice = side === 'leave' ? piece : piece - 1
    const toS = sideS(splice, side)
    if (toS !== undefined) dragged.value = { splice, side, toS }
  }
  function drag(event: PointerEvent) {
    if (dragged.value) dragged.value = { ...dragged.value, toS: ground.bar(ground.bedSeconds(event)).atS }
  }
  /** Where a side lies or is being taken to. */
  function shownS(piece: number, side: Side): number | undefined {
    const splice = side === 'leave' ? piece : piece - 1
    const now = dragged.value
    return now?.splice === splice && now.side === side ? now.toS : sideS(splice, side)
  }
  const burst = useBurst()
  /** Arrow keys take it from bar line to bar line. */
  function step(event: KeyboardEvent, piece: number, side: Side) {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
    const fromS = shownS(piece, side)
    if (!by || fromS === undefined || !byKeyboard(event)) return
    event.preventDefault()
    const toS = ground.lines.value[ground.bar(fromS).index + by]
    if (toS === undefined) return
    dragged.value = { splice: side === 'leave' ? piece : piece - 1, side, toS }
    burst.later(() => drop(event))
  }

  /** The other side follows by as many bars, so that the length holds; with Shift it stays where it is. */
  function drop(event: PointerEvent | KeyboardEvent) {
    const now = dragged.value
    dragged.value = null
    const splice = now && fitting().splices[now.splice]?.name
    const oldS = now && sideS(now.splice, now.side)
    if (!splice || oldS === undefined || oldS === null || ground.bar(now.toS).index === ground.bar(oldS).index) return
    const change = { splice, side: now.side, toSamples: samples(now.toS), alone: event.shiftKey }
    say({ about: 'fit', do: 'moveSplice', ...change })
  }

  useEscape(() => {
    burst.forget()
    dragged.value = null
  })
  return { dragged, shownS, grab, drag, drop, step, settle: burst.now }
}
