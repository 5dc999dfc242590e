import { computed, ref, watch } from 'vue'
import type { Wish } from '../../shared/http'
import { useEscape, useKeys } from '../../shared/keys'
import { samples } from '../../shared/words'
import { byKeyboard, hold, type Ground } from './ground'

type Said = 'keep' | 'leaveOut' | 'free'

/** Marking a passage of the bed between two bar lines, and what is wished of it. */
export function useMarking(ground: Ground, revision: () => number, wish: (wish: Wish) => void) {
  const marked = ref<{ startS: number; endS: number } | null>(null)
  const fromS = ref<number | null>(null)

  watch(revision, () => (marked.value = null))

  function begin(event: PointerEvent) {
    hold(event)
    fromS.value = ground.bedSeconds(event)
    marked.value = null
  }
  function move(event: PointerEvent) {
    const from = fromS.value
    if (from === null) return
    const to = ground.bedSeconds(event)
    const [a, b] = [ground.bar(Math.min(from, to)), ground.bar(Math.max(from, to))]
    if (Math.abs(to - from) > 0.3)
      marked.value = { startS: a.atS, endS: ground.lines.value[Math.max(b.index, a.index + 1)] ?? b.atS }
  }
  function end(event: PointerEvent) {
    const at = ground.bedSeconds(event)
    if (fromS.value !== null && !marked.value) {
      // A click marks the section under it.
      const section = ground.cut().bed?.reading?.sections.find((s) => at >= s.startS && at < s.endS)
      if (section) marked.value = { startS: section.startS, endS: section.endS }
    }
    fromS.value = null
  }
  /** Arrow keys mark one section after another; with Shift they move the end of what is marked by a bar. */
  function step(event: KeyboardEvent) {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
    const sections = ground.cut().bed?.reading?.sections ?? []
    if (!by || !sections.length || !byKeyboard(event)) return
    event.preventDefault()
    const now = marked.value
    if (now && event.shiftKey) {
      const endS = ground.lines.value[ground.bar(now.endS).index + by] ?? now.endS
      if (endS > now.startS) marked.value = { ...now, endS }
      return
    }
    const at = now ? sections.findIndex((s) => s.startS <= now.startS && now.startS < s.endS) + by : by > 0 ? 0 : -1
    const section = sections.at(at % sections.length)
    if (section) marked.value = { startS: section.startS, endS: section.endS }
  }
  function say(what: Said) {
    const { startS, endS } = marked.value ?? {}
    if (startS !== undefined && endS !== undefined)
      wish({ what, startSamples: samples(startS), endSamples: samples(endS) })
    marked.value = null
  }

  const letGo = () => ((marked.value = null), (fromS.value = null))
  useEscape(letGo)
  const said = (what: Said) => (marked.value ? void say(what) : false)
  useKeys('Marked passage of the bed', [
    { key: 'k', what: 'keep it', act: () => said('keep') },
    { key: 'o', what: 'leave it out', act: () => said('leaveOut') },
    { key: 'f', what: 'let it be free', act: () => said('free') },
  ])

  return { marked, isDone: computed(() => marked.value !== null && fromS.value === null), begin, move, end, step, say }
}
