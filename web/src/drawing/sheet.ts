/**
 * The sheet: the cut's time runs left to right and wraps into lines like a score's systems.
 * Pure geometry: data in, plain records out; SheetView.vue draws them.
 */
import { scaleLinear } from 'd3-scale'
import type { CutView, LevelView, WaveformView } from '../shared/http'
import { decibels } from '../shared/words'
import { bandPath, loudestOf } from './band'
import { clipped, textWidth, thinned, type Label } from './fit'

/** Rows of one line, in px from its top. */
export const ROWS = { shots: 10, letters: 26, band: 53, bandHalf: 19, hairpins: 84, words: 102 } as const
const LEFT = 44
const RIGHT = 18

export interface Hairpin {
  level: LevelView
  /** Mouth and tip of the wedge. */
  path: string
  x: number
  width: number
  label: Label | null
}

export interface Words {
  x: number
  width: number
  text: string
  /** Narrower than the text would be: squeeze it. */
  squeezed: boolean
}

export interface SheetLine {
  index: number
  startS: number
  endS: number
  band: string
  /** Right end of the cut within this line. */
  endX: number
  bars: { x: number; strong: boolean }[]
  numbers: Label[]
  letters: Label[]
  splices: { x: number; label: string; audible: string }[]
  shots: Label[]
  moments: Label[]
  hairpins: Hairpin[]
  words: Words[]
  ringOut: number | null
}

export interface SheetLayout {
  lines: SheetLine[]
  lineHeight: number
  /** Px of a time within its line. */
  x: (line: number, seconds: number) => number
  /** Time at a place of a line, clamped to the cut. */
  seconds: (line: number, px: number) => number
  left: number
  right: number
}

export function layoutSheet(
  cut: CutView,
  waveform: WaveformView | null,
  secondsPerLine: number,
  width: number,
  lineHeight: number,
): SheetLayout {
  const scale = scaleLinear([0, secondsPerLine], [LEFT, Math.max(LEFT + 100, width - RIGHT)])
  const count = Math.max(1, Math.ceil(cut.lengthS / secondsPerLine - 1e-6))
  const x = (line: number, seconds: number) => scale(seconds - line * secondsPerLine)
  const loudest = waveform ? loudestOf(waveform.peaks) : 0
  const lines = Array.from({ length: count }, (_, index) =>
    layoutLine(cut, waveform, loudest, index, secondsPerLine, (s) => x(index, s)),
  )
  const seconds = (line: number, px: number) =>
    Math.min(cut.lengthS, Math.max(0, line * secondsPerLine + Math.min(secondsPerLine, Math.max(0, scale.invert(px)))))
  return { lines, lineHeight, x, seconds, left: LEFT, right: scale(secondsPerLine) }
}

function layoutLine(
  cut: CutView,
  waveform: WaveformView | null,
  loudest: number,
  index: number,
  secondsPerLine: number,
  x: (s: number) => number,
): SheetLine {
  const startS = index * secondsPerLine
  const endS = Math.min(cut.lengthS, startS + secondsPerLine)
  const here = (s: number) => s >= startS - 1e-6 && s < startS + secondsPerLine - 1e-6
  const right = x(startS + secondsPerLine)
  const plan = cut.plan
  const fitting = plan?.fittings[plan.chosen]
  const barLines = (plan?.barLines ?? []).filter((bar) => here(bar.atS))
  const splices = (fitting?.splices ?? [])
    .filter((splice) => here(splice.atS))
    .map((splice) => ({ x: x(splice.atS), label: `${splice.leaveBar} › ${splice.enterBar}`, audible: splice.audible }))
  const letters = barLines.filter((bar) => bar.letter).map((bar) => ({ x: x(bar.atS), text: bar.letter ?? '' }))
  const taken = [
    ...letters.map((letter) => ({ x: letter.x - 2, width: 20 })),
    ...splices.map((splice) => ({ x: splice.x, width: 22 + textWidth(splice.label, 11) })),
  ]
  const wanted = barLines
    .filter((bar) => bar.bar % 2 === 1)
    .map((bar) => ({ x: x(bar.atS), text: String(bar.bar), width: 22 }))
  return {
    index,
    startS,
    endS,
    band: waveform ? bandPath(waveform.peaks, waveform.stepS, startS, endS, x, ROWS.band, ROWS.bandHalf, loudest) : '',
    endX: x(endS),
    bars: barLines.map((bar) => ({ x: x(bar.atS), strong: bar.letter != null })),
    numbers: thinned(wanted, taken).map(({ x: at, text }) => ({ x: at, text })),
    letters,
    splices,
    ...marks(cut, here, x, right),
    hairpins: (plan?.levels ?? []).flatMap((level) => hairpins(level, cut.lengthS, startS, endS, x)),
    words: (plan?.phrases ?? []).flatMap((phrase, k) => words(phrase, k, startS, endS, x)),
    ringOut: fitting?.lastHitS != null && here(fitting.lastHitS) ? x(fitting.lastHitS) : null,
  }
}

/** Shots and moments share the top row; each name is clipped before the next mark. */
function marks(cut: CutView, here: (s: number) => boolean, x: (s: number) => number, right: number) {
  const shots = cut.shots
    .filter((shot) => here(shot.atS))
    .map((shot) => ({ x: x(shot.atS), text: shot.name, moment: false }))
  const moments = cut.moments
    .filter((moment) => here(moment.atS))
    .map((m) => ({ x: x(m.atS), text: m.name, moment: true }))
  const all = [...shots, ...moments].sort((a, b) => a.x - b.x)
  const labelled = all.map((mark, index) => {
    const next = all[index + 1]?.x ?? right + RIGHT
    return { ...mark, text: clipped(mark.text, 12, next - mark.x - 16) }
  })
  return {
    shots: labelled.filter((mark) => !mark.moment).map(({ x: at, text }) => ({ x: at, text })),
    moments: labelled.filter((mark) => mark.moment).map(({ x: at, text }) => ({ x: at, text })),
  }
}

/** A swell is an opening wedge where it rises and a closing one where it falls. */
function hairpins(
  level: LevelView,
  lengthS: number,
  startS: number,
  endS: number,
  x: (s: number) => number,
): Hairpin[] {
  if (level.kind !== 'swell') return []
  const wedge = (fromS: number, toS: number, opens: boolean): Hairpin[] => {
    if (toS <= startS || fromS >= endS || toS - fromS < 0.05) return []
    const [from, to] = [x(fromS), x(toS)]
    const [tip, mouth] = opens ? [from, to] : [to, from]
    const y = ROWS.hairpins
    return [
      {
        level,
        path: `M${mouth} ${y - 6}L${tip} ${y}L${mouth} ${y + 6}`,
        x: from,
        width: to - from,
        label: opens
          ? { x: to + 4, text: decibels(-level.underSpeechDb) }
          : level.riseS === 0
            ? { x: from - 6 - textWidth(decibels(-level.underSpeechDb), 11), text: decibels(-level.underSpeechDb) }
            : null,
      },
    ]
  }
  const rise = level.riseS > 0 ? wedge(level.startS, level.startS + level.riseS, true) : []
  const fall = level.fallS > 0 ? wedge(level.endS - level.fallS, level.endS, false) : []
  return [...rise, ...fall].filter(
    (hairpin) => hairpin.x < x(endS) && hairpin.x + hairpin.width <= x(startS + (lengthS - startS)) + 1,
  )
}

/** The words of a phrase within this line: a phrase over a line break has its words on both lines, by time. */
function words(
  phrase: { startS: number; endS: number; words?: string | null },
  index: number,
  startS: number,
  endS: number,
  x: (s: number) => number,
): Words[] {
  const from = Math.max(phrase.startS, startS)
  const to = Math.min(phrase.endS, endS)
  if (to <= from) return []
  const all = (phrase.words ?? `phrase ${index + 1}`).split(' ')
  const share = (s: number) => Math.round(((s - phrase.startS) / (phrase.endS - phrase.startS)) * all.length)
  const text = all.slice(share(from), share(to)).join(' ')
  const width = x(to) - x(from)
  return [{ x: x(from), width, text, squeezed: textWidth(text, 13) * 0.86 > width }]
}
