/** Heights are drawn as the square root of the peak, so that a bed 20 dB down still shows. */
export function height(peak: number, loudest: number, halfPx: number): number {
  if (!Number.isFinite(peak) || loudest <= 0) return 0
  return Math.sqrt(Math.min(1, Math.max(0, peak / loudest))) * halfPx
}

/** A waveform between two times as a closed path about `middle`, one point a pixel. */
export function bandPath(
  peaks: readonly number[],
  stepS: number,
  fromS: number,
  toS: number,
  x: (seconds: number) => number,
  middle: number,
  halfPx: number,
  loudest: number,
): string {
  const first = Math.floor(x(fromS))
  const last = Math.ceil(x(toS))
  if (last <= first || peaks.length === 0) return ''
  const perPx = (toS - fromS) / (last - first)
  const up: string[] = []
  const down: string[] = []
  for (let px = first; px <= last; px++) {
    const start = Math.max(0, Math.floor((fromS + (px - first) * perPx) / stepS))
    const end = Math.max(start + 1, Math.floor((fromS + (px - first + 1) * perPx) / stepS))
    let top = 0
    for (let k = start; k < end && k < peaks.length; k++) top = Math.max(top, peaks[k] ?? 0)
    const reach = height(top, loudest, halfPx)
    up.push(`${px} ${(middle - reach).toFixed(1)}`)
    down.push(`${px} ${(middle + reach).toFixed(1)}`)
  }
  return `M${up.join('L')}L${down.reverse().join('L')}Z`
}

/** The loudest peak. */
export function loudestOf(peaks: readonly number[]): number {
  return peaks.reduce((top, peak) => Math.max(top, peak), 0)
}
