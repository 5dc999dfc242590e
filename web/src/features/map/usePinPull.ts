import { ref } from 'vue'
import { MAP, nearest } from '../../drawing/map'
import type { Wish } from '../../shared/http'
import { useBurst } from '../../shared/burst'
import { useEscape } from '../../shared/keys'
import { samples } from '../../shared/words'
import { byKeyboard, hold, type Ground } from './ground'

/** A shot or a moment no farther than this was meant. */
const NEAR_PX = 9

/**
 * Pulling a bar line of the bed down to a moment of the cut; by keys, arrows choose the bar line and Enter pins it where the
 * playhead is. A pin that is there moves along the cut.
 */
export function usePinPull(ground: Ground, positionS: () => number, wish: (wish: Wish) => void) {
  const pulled = ref<{ bedS: number; x: number; y: number } | null>(null)

  function pull(event: PointerEvent) {
    hold(event)
    pulled.value = { bedS: ground.bar(ground.bedSeconds(event)).atS, x: ground.place(event).x, y: MAP.rail }
  }
  function pulling(event: PointerEvent) {
    if (pulled.value) pulled.value = { ...pulled.value, ...ground.place(event) }
  }
  function letGo() {
    const now = pulled.value
    pulled.value = null
    if (!now || now.y < MAP.ribbonBottom - 20) return
    const { shots, moments } = ground.cut()
    const marks = [...shots, ...moments].map((one) => one.atS)
    const seconds = ground.map.value.cutSeconds(now.x)
    const near = nearest(marks, seconds)
    const isMeant = marks.length > 0 && Math.abs(ground.map.value.cutX(near.atS) - now.x) < NEAR_PX
    wish({ what: 'pin', bedSamples: samples(now.bedS), cutSamples: samples(isMeant ? near.atS : seconds) })
  }

  /** The bar line that keys have chosen. */
  const chosen = ref(0)
  /** Shows what Enter would pin to whoever comes by keyboard. */
  const arrive = (event: FocusEvent) => byKeyboard(event) && aim()
  function aim() {
    const bedS = ground.lines.value[chosen.value]
    const { map } = ground
    pulled.value = bedS === undefined ? null : { bedS, x: map.value.cutX(positionS()), y: MAP.ribbonBottom }
  }
  function step(event: KeyboardEvent) {
    if (!byKeyboard(event)) return
    const by = ({ ArrowLeft: -1, ArrowRight: 1 }[event.key] ?? 0) * (event.shiftKey ? 4 : 1)
    if (event.key === 'Enter' && pulled.value)
      wish({ what: 'pin', bedSamples: samples(pulled.value.bedS), cutSamples: samples(positionS()) })
    else if (by) chosen.value = Math.min(ground.lines.value.length - 1, Math.max(0, chosen.value + by))
    else return
    event.preventDefault()
    aim()
  }
  const leave = () => (pulled.value = null)

  /** A pin on its way along the cut, by its bar line. */
  const moved = ref<{ bedS: number; cutS: number } | null>(null)
  const burst = useBurst()
  function move(event: KeyboardEvent, pin: { bedS: number; cutS: number }) {
    const { rate, lengthS } = ground.cut()
    const frame = rate.den / rate.num
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
    if (!by || !byKeyboard(event)) return
    event.preventDefault()
    const fromS = moved.value?.bedS === pin.bedS ? moved.value.cutS : pin.cutS
    const cutS = Math.min(lengthS, Math.max(0, fromS + by * (event.shiftKey ? 1 : frame)))
    moved.value = { bedS: pin.bedS, cutS }
    burst.later(() => {
      moved.value = null
      wish({ what: 'pin', bedSamples: samples(pin.bedS), cutSamples: samples(cutS) })
    })
  }

  useEscape(() => {
    burst.forget()
    pulled.value = moved.value = null
  })
  return { pulled, pull, pulling, letGo, chosen, arrive, step, leave, moved, move, settle: burst.now }
}
