/** Loudness over the cut as a strip: what lies where. Levels in LUFS, lengths in seconds, places in pixels. */
export interface LoudnessStrip {
  width: number
  height: number
  /** Place of a moment. */
  x: (seconds: number) => number
  /** Place of a level. */
  y: (lufs: number) => number
  /** Outline of the momentary loudness, closed along the foot. */
  momentary: string
  /** Line of the short-term loudness, broken where there is none. */
  shortTerm: string
  /** Levels with a line of their own. */
  lines: { lufs: number; y: number }[]
}

/** The lowest and the highest level that are drawn. */
const RANGE_LUFS = { low: -50, high: -5 }

export function layoutLoudness(
  momentary: readonly (number | null)[],
  shortTerm: readonly (number | null)[],
  stepS: number,
  lengthS: number,
  width: number,
  height: number,
): LoudnessStrip {
  const x = (seconds: number) => (seconds / Math.max(lengthS, 1e-9)) * width
  const share = (lufs: number) => (lufs - RANGE_LUFS.low) / (RANGE_LUFS.high - RANGE_LUFS.low)
  const y = (lufs: number) => height * (1 - Math.min(1, Math.max(0, share(lufs))))
  const at = (k: number) => x((k + 1) * stepS).toFixed(1)
  // No more points than there are pixels: the highest of each.
  const every = Math.max(1, Math.floor(momentary.length / width))
  const thinned = (values: readonly (number | null)[]) =>
    Array.from({ length: Math.ceil(values.length / every) }, (_, k) => {
      const some = values.slice(k * every, (k + 1) * every).filter((value) => value !== null)
      return some.length ? Math.max(...some) : null
    })
  const area = thinned(momentary)
    .map((lufs, k) => `L${at(k * every)} ${y(lufs ?? RANGE_LUFS.low).toFixed(1)}`)
    .join('')
  let line = ''
  let drawing = false
  thinned(shortTerm).forEach((lufs, k) => {
    if (lufs !== null) line += `${drawing ? 'L' : 'M'}${at(k * every)} ${y(lufs).toFixed(1)}`
    drawing = lufs !== null
  })
  return {
    width,
    height,
    x,
    y,
    momentary: area ? `M0 ${height}${area}L${width} ${height}Z` : '',
    shortTerm: line,
    lines: [-40, -30, -20, -10].map((lufs) => ({ lufs, y: y(lufs) })),
  }
}
