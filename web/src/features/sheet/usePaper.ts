import { computed, nextTick, ref } from 'vue'
import type { SheetLayout } from '../../drawing/sheet'

/** As the sheet lies on paper: all lines, as wide as these px are of a page's width, so many on each page. */
export const PAPER = { widthPx: 1000, linePx: 128, lines: 10 }

/** Printing the sheet, page by page. */
export function usePaper(sheet: () => SheetLayout) {
  const printing = ref(false)
  async function print() {
    printing.value = true
    await nextTick()
    window.print()
    printing.value = false
  }
  const pages = computed(() =>
    Array.from({ length: Math.ceil(sheet().count / PAPER.lines) }, (_, k) => ({
      number: k + 1,
      top: k * PAPER.lines * sheet().lineHeight,
      height: Math.min(PAPER.lines, sheet().count - k * PAPER.lines) * sheet().lineHeight,
    })),
  )
  return { printing, print, pages }
}
