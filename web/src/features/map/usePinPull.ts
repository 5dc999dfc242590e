import { ref } from 'vue'
import { MAP, nearest } from '../../drawing/map'
import type { Wish } from '../../shared/http'
import { useEscape } from '../../shared/keys'
import { samples } from '../../shared/words'
import { hold, type Ground } from './ground'

/** A shot or a moment no farther than this was meant. */
const NEAR_PX = 9

/** Pulling a bar line of the bed down to a moment of the cut. */
export function usePinPull(ground: Ground, wish: (wish: Wish) => void) {
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

  useEscape(() => (pulled.value = null))
  return { pulled, pull, pulling, letGo }
}
