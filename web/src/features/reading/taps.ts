/** Taps along with the bed: a pause of two seconds begins anew. */
export const PAUSE_S = 2
/** From this many on a tempo can be told. */
export const ENOUGH = 4

/** The taps with one more. */
export function tapped(before: readonly number[], atS: number): number[] {
  const last = before[before.length - 1]
  if (last !== undefined && (atS - last > PAUSE_S || atS <= last)) return [atS]
  return [...before, atS]
}

/** What was tapped, for showing; the grid itself is made by the server. */
export function tappedBpm(taps: readonly number[]): number | null {
  if (taps.length < 2) return null
  const first = taps[0] ?? 0
  const last = taps[taps.length - 1] ?? 0
  return (60 * (taps.length - 1)) / (last - first)
}
