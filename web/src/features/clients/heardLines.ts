import type { HeardView, WaveformView } from '../../shared/http'

/** One line of the listening sheet, in px from its left end and from its middle. */
export interface HeardLine {
  startS: number
  lengthS: number
  width: number
  band: string
  level: string
  spoken: { x: number; width: number; text: string }[]
  flags: { id: string; x: number; done: boolean }[]
}

/** Seconds of a line: as many as leave words room to be read, and the whole on one page where that goes. */
const PER_LINE_S = [15, 20, 30, 60]
const MOST_LINES = 8
const HALF_PX = 28
const LETTER_PX = 5.9

/** The lines of what is heard, each `width` px long. */
export function linesOf(heard: HeardView, waveform: WaveformView | null, width: number): HeardLine[] {
  const lengthS = PER_LINE_S.find((one) => heard.lengthS <= one * MOST_LINES) ?? Math.ceil(heard.lengthS / MOST_LINES)
  const perPx = lengthS / width
  return Array.from({ length: Math.max(1, Math.ceil(heard.lengthS / lengthS - 1e-6)) }, (_, k) => {
    const startS = k * lengthS
    const endS = Math.min(heard.lengthS, startS + lengthS)
    const px = (seconds: number) => (seconds - startS) / perPx
    const spoken = heard.spoken.filter((one) => one.startS < endS && one.endS > startS)
    return {
      startS,
      lengthS,
      width: px(endS),
      band: waveform ? bandOf(waveform, startS, px(endS), perPx) : '',
      level: levelOf(heard, startS, endS, px),
      spoken: spoken.map((one, k) => {
        const x = px(Math.max(one.startS, startS))
        // Words may run on to where the next phrase begins.
        const room = Math.min(width, px(spoken[k + 1]?.startS ?? Infinity)) - x - LETTER_PX
        const text = one.startS >= startS ? shortened(one.words ?? '', room) : ''
        return { x, width: px(Math.min(one.endS, endS)) - x, text }
      }),
      flags: heard.remarks.flatMap((one) =>
        one.atS != null && one.atS >= startS && one.atS < endS ? [{ id: one.id, x: px(one.atS), done: one.done }] : [],
      ),
    }
  })
}

/** As many words as have room. */
function shortened(words: string, px: number): string {
  const letters = Math.floor(px / LETTER_PX)
  return words.length <= letters ? words : letters < 4 ? '' : `${words.slice(0, letters - 1).trimEnd()}…`
}

function bandOf({ peaks, stepS }: WaveformView, startS: number, width: number, perPx: number): string {
  const STEP_PX = 2
  const tops: string[] = []
  const bottoms: string[] = []
  for (let x = 0; x <= width; x += STEP_PX) {
    const from = Math.floor((startS + x * perPx) / stepS)
    const to = Math.max(from + 1, Math.floor((startS + (x + STEP_PX) * perPx) / stepS))
    const peak = Math.max(0, ...peaks.slice(from, to)) / 65_535
    const y = (Math.sqrt(peak) * HALF_PX).toFixed(1)
    tops.push(`${x} -${y}`)
    bottoms.unshift(`${x} ${y}`)
  }
  return tops.length > 1 ? `M${tops.join('L')}L${bottoms.join('L')}Z` : ''
}

/** The level of the bed over the band: at its top 0 dB, at its bottom 40 dB less. */
function levelOf(heard: HeardView, startS: number, endS: number, px: (seconds: number) => number): string {
  const points = heard.bedDb.flatMap((db, k) => {
    const at = k / 2
    if (at < startS || at > endS) return []
    const y = -HALF_PX + (Math.min(40, Math.max(0, -db)) / 40) * 2 * HALF_PX
    return [`${px(at).toFixed(1)} ${y.toFixed(1)}`]
  })
  return points.length > 1 ? `M${points.join('L')}` : ''
}
