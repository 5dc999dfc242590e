import { onKeyStroke } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { Wish } from '../../shared/http'
import { samples } from '../../shared/words'
import { hold, type Ground } from './ground'

const KEYS = { k: 'keep', o: 'leaveOut', f: 'free' } as const
type Said = (typeof KEYS)[keyof typeof KEYS]

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
  function say(what: Said) {
    const { startS, endS } = marked.value ?? {}
    if (startS !== undefined && endS !== undefined)
      wish({ what, startSamples: samples(startS), endSamples: samples(endS) })
    marked.value = null
  }

  onKeyStroke('Escape', () => (marked.value = null))
  for (const [key, what] of Object.entries(KEYS))
    onKeyStroke(key, (event) => {
      if (!marked.value || (event.target as HTMLElement).matches('input, textarea')) return
      event.preventDefault()
      say(what)
    })

  return { marked, isDone: computed(() => marked.value !== null && fromS.value === null), begin, move, end, say }
}
