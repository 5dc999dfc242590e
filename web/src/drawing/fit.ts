/** Mean width of a character relative to the font size, for the shipped fonts; used to place text before it is drawn. */
const CHARACTER = 0.52

/** About how wide `text` will be at `fontSize`. */
export function textWidth(text: string, fontSize: number): number {
  return text.length * fontSize * CHARACTER
}

/** `text`, or its beginning with an ellipsis, so that it fits; empty when not even three letters do. */
export function clipped(text: string, fontSize: number, roomPx: number): string {
  if (textWidth(text, fontSize) <= roomPx) return text
  const letters = Math.floor(roomPx / (fontSize * CHARACTER)) - 1
  return letters < 3 ? '' : `${text.slice(0, letters).trimEnd()}…`
}

/** A label at a place. */
export interface Label {
  x: number
  text: string
}

/** Labels in one row, each clipped before the next one or the end of the row. */
export function row(labels: Label[], fontSize: number, endPx: number, gapPx = 8): Label[] {
  const sorted = [...labels].sort((a, b) => a.x - b.x)
  return sorted
    .map((label, index) => ({
      x: label.x,
      text: clipped(label.text, fontSize, (sorted[index + 1]?.x ?? endPx) - label.x - gapPx),
    }))
    .filter((label) => label.text !== '')
}

/** Drops labels that would touch one already placed; earlier ones in the list win. */
export function thinned<T extends { x: number; width: number }>(
  labels: T[],
  taken: { x: number; width: number }[] = [],
): T[] {
  const placed = [...taken]
  const kept: T[] = []
  for (const label of labels) {
    if (placed.every((other) => label.x + label.width < other.x || other.x + other.width < label.x)) {
      placed.push(label)
      kept.push(label)
    }
  }
  return kept
}
