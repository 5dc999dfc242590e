/**
 * The sheet: the cut's time runs left to right and wraps into lines like a score's systems.
 * Pure geometry: data in, plain records out; SheetView.vue draws them.
 */
import { scaleLinear } from 'd3-scale'
import type { CutView, LevelView, WaveformView } from '../shared/http'
import { bare, decibels } from '../shared/words'
import { bandPath, loudestOf } from './band'
import { clipped, textWidth, thinned, type Label } from './fit'
import { LANE_PX, laneBand, laneRows, type LaneBand } from './lanes'

/** Rows of one line, in px from its top. */
export const ROWS = { shots: 10, letters: 25, band: 51, bandHalf: 19, hairpins: 81, words: 98 } as const
/** Height of a line up to its words; rows of lanes lie below them. */
export const LINE_PX = 108
/** The middle of a row of lanes. */
export const laneY = (row: number) => ROWS.words + 12 + row * LANE_PX
const LEFT = 44
const RIGHT = 18
/** Half the height of the voice's waveform. */
const VOICE_HALF_PX = 9
/** Size of the names of shots and moments. */
const NAME_PX = 13

export interface Hairpin {
  level: LevelView
  /** Mouth and tip of the wedge. */
  path: string
  x: number
  width: number
  /** Whether this is the rise. */
  opens: boolean
  labels: Label[]
}

/** A level that has no wedge: written under the band. */
export interface Mark {
  level: LevelView
  x: number
  text: string
  /** From its beginning to its end on this line. */
  width: number
}

export type Voices = Readonly<Record<string, WaveformView>>

export interface Words {
  /** Number of the phrase. */
  phrase: number
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
  /** The shot that goes on from the line before. */
  carried: Label | null
  hairpins: Hairpin[]
  marks: Mark[]
  /** Where another bed begins: its name, and over what time the one before gives over to it. */
  entering: Label[]
  lanes: LaneBand[]
  words: Words[]
  /** The voice's own waveform, thinly behind its words. */
  voice: string[]
  ringOut: number | null
}

export interface SheetLayout {
  /** Those that are seen. */
  lines: SheetLine[]
  /** How many there are in all. */
  count: number
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
  /** Lines that are seen; all of them without. */
  seen: { first: number; last: number } = { first: 0, last: Infinity },
  /** Waveforms of takes, by their hash. */
  voices: Voices = {},
): SheetLayout {
  const scale = scaleLinear([0, secondsPerLine], [LEFT, Math.max(LEFT + 100, width - RIGHT)])
  const count = Math.max(1, Math.ceil(cut.lengthS / secondsPerLine - 1e-6))
  const x = (line: number, seconds: number) => scale(seconds - line * secondsPerLine)
  const loudest = waveform ? loudestOf(waveform.peaks) : 0
  const first = Math.min(Math.max(0, seen.first), count - 1)
  const last = Math.min(count - 1, Math.max(first, seen.last))
  const lines = Array.from({ length: last - first + 1 }, (_, k) =>
    layoutLine(cut, waveform, loudest, first + k, secondsPerLine, (s) => x(first + k, s), voices),
  )
  const seconds = (line: number, px: number) =>
    Math.min(cut.lengthS, Math.max(0, line * secondsPerLine + Math.min(secondsPerLine, Math.max(0, scale.invert(px)))))
  return { lines, count, lineHeight, x, seconds, left: LEFT, right: scale(secondsPerLine) }
}

function layoutLine(
  cut: CutView,
  waveform: WaveformView | null,
  loudest: number,
  index: number,
  secondsPerLine: number,
  x: (s: number) => number,
  voices: Voices,
): SheetLine {
  const startS = index * secondsPerLine
  const endS = Math.min(cut.lengthS, startS + secondsPerLine)
  // What falls on the last pixels of a line is drawn at the head of the next one.
  const edgeS = secondsPerLine * 0.004
  const here = (s: number) => s >= startS - edgeS && s < startS + secondsPerLine - edgeS
  const right = x(startS + secondsPerLine)
  const plan = cut.plan
  const lanes = plan?.lanes ?? []
  const rows = laneRows(lanes)
  const fittings = (plan?.parts ?? []).flatMap((part) => part.fitting ?? [])
  const barLines = (plan?.barLines ?? []).filter((bar) => here(bar.atS))
  const splices = fittings
    .flatMap((fitting) => fitting.splices)
    .filter((splice) => here(splice.atS))
    .map((splice) => ({ x: x(splice.atS), label: `${splice.leaveBar} › ${splice.enterBar}`, audible: splice.audible }))
  const letters = barLines.filter((bar) => bar.letter).map((bar) => ({ x: x(bar.atS), text: bar.letter ?? '' }))
  const lastHitS = fittings.map((fitting) => fitting.lastHitS).find((hit) => hit != null && here(hit))
  const ringOut = lastHitS != null ? x(lastHitS) : null
  const taken = [
    ...(ringOut === null ? [] : [{ x: ringOut - 12, width: 30 }]),
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
    ...marks(cut, startS, here, x, right),
    hairpins: (plan?.levels ?? [])
      .filter((level) => !isHandover(level, plan?.parts ?? []))
      .flatMap((level) => hairpins(level, plan?.levels ?? [], startS, endS, x)),
    marks: (plan?.levels ?? []).flatMap((level) => levelMark(level, startS, endS, x)),
    entering: (plan?.parts ?? []).slice(1).flatMap((part) => {
      if (!here(part.startS)) return []
      const over = part.handoverS > 0 ? `, over ${part.handoverS.toFixed(1)} s` : ''
      const text = clipped(`${bare(part.name)}${over}`, 11, right - x(startS))
      // Near the end of a line the name stands before its place.
      return [{ x: Math.min(x(part.startS), right - textWidth(text, 11)), text }]
    }),
    lanes: lanes.flatMap((one, k) => laneBand(one, k, laneY(rows[k] ?? 0), plan?.phrases ?? [], startS, endS, x)),
    words: (plan?.phrases ?? []).flatMap((phrase, k) => words(phrase, k, startS, endS, x)),
    voice: cut.pieces.flatMap((piece) => voicePath(piece, voices[piece.take], startS, endS, x)),
    ringOut,
  }
}

/** Where the picture is over, when the sound runs on behind it. */
export const pictureEnd = (cut: CutView) =>
  cut.tailS > 0 ? [{ atS: cut.lengthS - cut.tailS, name: 'picture ends' }] : []

/** Shots and moments share the top row; each name is clipped before the next mark. */
function marks(cut: CutView, startS: number, here: (s: number) => boolean, x: (s: number) => number, right: number) {
  const mark = (moment: boolean) => (one: { atS: number; name: string }) => ({ x: x(one.atS), text: one.name, moment })
  const all = [
    ...cut.shots.filter((shot) => here(shot.atS)).map(mark(false)),
    ...[...cut.moments, ...pictureEnd(cut)].filter((m) => here(m.atS)).map(mark(true)),
  ]
  all.sort((a, b) => a.x - b.x)
  const labelled = all.map((one, index) => {
    const last = index + 1 === all.length
    const room = (last ? right : (all[index + 1]?.x ?? right)) - one.x - 14
    // The last name of a line that does not fit is written out on the next line instead.
    return { ...one, text: last && textWidth(one.text, NAME_PX) > room ? '' : clipped(one.text, NAME_PX, room) }
  })
  const running = [...cut.shots].reverse().find((shot) => shot.atS < startS - 1e-6)
  const next = all[0]?.x ?? right
  const carried =
    running && next - x(startS) > 30
      ? { x: x(startS), text: clipped(running.name, NAME_PX, next - x(startS) - 14) }
      : null
  const of = (moment: boolean) =>
    labelled.filter((one) => one.moment === moment).map(({ x: at, text }) => ({ x: at, text }))
  return { shots: of(false), moments: of(true), carried: carried?.text ? carried : null }
}

/** A fade of a bed is a wedge too, from nothing and to nothing; one without a length can still be taken by its place. */
const FADE_WORDS = { fadeIn: 'fade in', fadeOut: 'fade out' } as const

/** A swell is an opening wedge where it rises and a closing one where it falls, with the levels at their ends. */
function hairpins(
  level: LevelView,
  all: readonly LevelView[],
  startS: number,
  endS: number,
  x: (s: number) => number,
): Hairpin[] {
  if (level.kind !== 'swell' && level.kind !== 'fadeIn' && level.kind !== 'fadeOut') return []
  const wedge = (
    fromS: number,
    toS: number,
    opens: boolean,
    before: string | null,
    after: string | null,
  ): Hairpin[] => {
    if (level.kind === 'swell' ? toS <= startS || fromS >= endS || toS - fromS < 0.05 : toS < startS || fromS > endS)
      return []
    const [from, to] = [x(fromS), x(toS)]
    const [tip, mouth] = opens ? [from, to] : [to, from]
    const y = ROWS.hairpins
    const labels: Label[] = []
    if (before && from - 6 - textWidth(before, 11) > x(startS))
      labels.push({ x: from - 6 - textWidth(before, 11), text: before })
    if (after && to + 4 + textWidth(after, 11) < x(endS)) labels.push({ x: to + 4, text: after })
    return [
      { level, opens, path: `M${mouth} ${y - 6}L${tip} ${y}L${mouth} ${y + 6}`, x: from, width: to - from, labels },
    ]
  }
  if (level.kind !== 'swell') {
    const opens = level.kind === 'fadeIn'
    const lengthS = opens ? level.riseS : level.fallS
    const text = lengthS > 0 ? `${FADE_WORDS[level.kind]} ${lengthS.toFixed(1)} s` : null
    return wedge(level.startS, level.startS + lengthS, opens, opens ? null : text, opens ? text : null)
  }
  const top = decibels(-level.underSpeechDb)
  const dip = all.find((object) => object.kind === 'dip' && object.startS > level.endS - 0.05)
  const under = dip ? decibels(-dip.underSpeechDb) : null
  const rise = level.riseS > 0 ? wedge(level.startS, level.startS + level.riseS, true, null, top) : []
  // Without a rise (the opening) the top is written at the mouth of the fall.
  const fall =
    level.fallS > 0 ? wedge(level.endS - level.fallS, level.endS, false, level.riseS > 0 ? null : top, under) : []
  return [...rise, ...fall]
}

/** Whether a fade is one side of a handover between two beds. */
function isHandover(level: LevelView, parts: CutView['plan']['parts']): boolean {
  const at = level.kind === 'fadeIn' ? level.startS : level.kind === 'fadeOut' ? level.endS - level.fallS : null
  return at !== null && parts.slice(1).some((part) => part.handoverS > 0 && Math.abs(part.startS - at) < 0.05)
}

/** Emphases and passages by hand are written where they begin. */
function levelMark(level: LevelView, startS: number, endS: number, x: (s: number) => number): Mark[] {
  if (level.kind === 'swell' || level.kind === 'fadeIn' || level.kind === 'fadeOut') return []
  if (level.startS >= endS || level.endS <= startS) return []
  const width = x(Math.min(level.endS, endS)) - x(Math.max(level.startS, startS))
  const at = (seconds: number, text: string): Mark[] =>
    seconds >= startS && seconds < endS + 1e-6 ? [{ level, x: x(seconds), text, width }] : []
  switch (level.kind) {
    case 'dip':
      // Its level stands at the tip of the fall before it, and its words open it.
      return []
    case 'emphasis':
      return at(level.startS, `${decibels(-level.underSpeechDb)} more`)
    case 'sweep':
      return at(Math.max(level.startS, startS), `${level.gainDb > 0 ? '+' : ''}${decibels(level.gainDb)} dB`)
  }
}

/** What is heard of a take on this line. */
function voicePath(
  piece: CutView['pieces'][number],
  drawn: WaveformView | undefined,
  startS: number,
  endS: number,
  x: (s: number) => number,
): string[] {
  const [from, to] = [Math.max(piece.startS, startS), Math.min(piece.endS, endS)]
  if (!drawn || to <= from) return []
  // The take's own time runs beside the cut's.
  const shift = piece.sourceStartS - piece.startS
  const path = bandPath(
    drawn.peaks,
    drawn.stepS,
    from + shift,
    to + shift,
    (s) => x(s - shift),
    ROWS.words - 4,
    VOICE_HALF_PX,
    loudestOf(drawn.peaks),
  )
  return path ? [path] : []
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
  // An end too short for a word keeps none: they stand on the other line.
  const share = (s: number) => {
    const part = (s - phrase.startS) / (phrase.endS - phrase.startS)
    return Math.round((part < 0.2 ? 0 : part > 0.8 ? 1 : part) * all.length)
  }
  const text = all.slice(share(from), share(to)).join(' ')
  const width = x(to) - x(from)
  // A few pixels of a phrase whose words all stand on the other line.
  if (text === '' && width < 14) return []
  return [{ phrase: index, x: x(from), width, text, squeezed: textWidth(text, 13) * 0.86 > width }]
}
