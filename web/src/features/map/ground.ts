import { computed, type Ref } from 'vue'
import { nearest, type layoutMap } from '../../drawing/map'
import type { CutView } from '../../shared/http'

type Layout = ReturnType<typeof layoutMap>

/** Takes hold of what was pressed, so that the pointer may leave it while it is dragged. */
export function hold(event: PointerEvent) {
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
}

/** Whether somebody came here by keyboard: what was clicked leaves the arrow keys to the page. */
export const byKeyboard = (event: Event) => (event.currentTarget as Element).matches(':focus-visible')

/** Where the pointer is on the map, in pixels and in seconds of both lines. */
export function useGround(cut: () => CutView, map: Ref<Layout>, holder: Ref<HTMLElement | undefined>) {
  const lines = computed(() => cut().bed?.reading?.barLinesS ?? [])
  const place = (event: MouseEvent) => {
    const box = holder.value?.getBoundingClientRect()
    return { x: event.clientX - (box?.left ?? 0), y: event.clientY - (box?.top ?? 0) }
  }
  return {
    cut,
    map,
    lines,
    place,
    /** The bar line next to a time of the bed. */
    bar: (seconds: number) => nearest(lines.value, seconds),
    bedSeconds: (event: MouseEvent) => map.value.bedSeconds(place(event).x),
    cutSeconds: (event: MouseEvent) => map.value.cutSeconds(place(event).x),
  }
}

export type Ground = ReturnType<typeof useGround>
