import { computed, ref, watch } from 'vue'
import type { Hairpin, SheetLayout } from '../../drawing/sheet'
import type { LevelView } from '../../shared/http'
import { useEscape } from '../../shared/keys'
import { useLimits } from '../../shared/limits'
import { clock, decibels } from '../../shared/words'

/** What a drag of a wedge changes. */
export type WedgeChange = { underSpeechDb?: number; riseS?: number; fallS?: number }

/** What a wedge that is dragged asks for. */
interface Says {
  /** What would be changed if the hand let go now; no level when it is given up. */
  hand: (level: LevelView | null, change: WedgeChange) => void
  change: (level: LevelView, change: WedgeChange) => void
  /** It was clicked. */
  open: (pin: Hairpin, line: number) => void
  riseFrom: (seconds: number) => void
}

/** Dragging the wedges of a sheet: along for their length, up and down for their level. */
export function useWedge(sheet: () => SheetLayout, secondsPerLine: () => number, says: Says) {
  /** A wedge that is being dragged: along for its length, up and down for its level. */
  const wedge = ref<{
    pin: Hairpin
    line: number
    x: number
    y: number
    dx: number
    dy: number
    /** Whether it was taken by the tip of the last rise, which moves it. */
    moves: boolean
  } | null>(null)
  /** The rise at the close: nothing falls behind it. */
  const closes = (pin: Hairpin) =>
    pin.opens && pin.level.kind === 'swell' && pin.level.fallS === 0 && pin.level.startS > 0
  const WEDGE_PX_PER_DB = 4
  function grabWedge(event: PointerEvent, pin: Hairpin, line: number) {
    ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
    const box = (event.currentTarget as SVGElement).getBoundingClientRect()
    const moves = closes(pin) && event.clientX - box.left < box.width / 3
    wedge.value = { pin, line, x: event.clientX, y: event.clientY, dx: 0, dy: 0, moves }
  }
  function letGoWedge() {
    if (wedge.value) says.hand(null, {})
    wedge.value = null
  }
  useEscape(() => {
    letGoWedge()
  })
  function dragWedge(event: PointerEvent) {
    const now = wedge.value
    if (now) wedge.value = { ...now, dx: event.clientX - now.x, dy: event.clientY - now.y }
  }
  const limits = useLimits(() => true)
  /** What a drag asks for: whole decibels, tenths of a second. */
  const asked = computed(() => {
    const now = wedge.value
    if (!now || Math.abs(now.dx) + Math.abs(now.dy) < 4) return null
    const { level, opens } = now.pin
    const perPx = secondsPerLine() / (sheet().right - sheet().left)
    const longer = Math.abs(now.dx) < 4 || now.moves ? 0 : (opens ? now.dx : -now.dx) * perPx
    const fades = level.kind !== 'swell'
    const lengthS = Math.max(fades ? 0 : 0.1, Math.round(((opens ? level.riseS : level.fallS) + longer) * 10) / 10)
    const deeper = fades || now.moves ? 0 : Math.round(now.dy / WEDGE_PX_PER_DB)
    const { from, to } = limits.value?.byHandDb ?? { from: -Infinity, to: Infinity }
    const underSpeechDb = Math.min(to, Math.max(from, level.underSpeechDb + deeper))
    const fromS = now.moves ? Math.max(0, Math.round((level.startS + now.dx * perPx) * 10) / 10) : null
    const words =
      fromS !== null
        ? `from ${clock(fromS, true)}`
        : `${fades ? '' : `${decibels(-underSpeechDb)} dB, `}${lengthS.toFixed(1)} s`
    const length = opens ? { riseS: lengthS } : { fallS: lengthS }
    const change: WedgeChange = {
      ...(underSpeechDb !== level.underSpeechDb && { underSpeechDb }),
      ...(Math.abs(now.dx) >= 4 && length),
    }
    return { level, fromS, words, change }
  })
  /** What a drag asks for is heard on the way. */
  watch(
    () => JSON.stringify(asked.value?.change),
    () => asked.value && asked.value.fromS === null && says.hand(asked.value.level, asked.value.change),
  )
  function dropWedge(event: MouseEvent) {
    const [now, dropped] = [wedge.value, asked.value]
    wedge.value = null
    if (!now) return
    event.stopPropagation()
    if (!dropped) return says.open(now.pin, now.line)
    if (dropped.fromS !== null) return says.riseFrom(dropped.fromS)
    says.change(dropped.level, dropped.change)
  }
  return { wedge, asked, grabWedge, dragWedge, dropWedge, letGoWedge }
}
