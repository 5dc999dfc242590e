/**
 * The map: the bed above, the cut below, and a ribbon for every run that is kept.
 * Pure geometry; MapView.vue draws it.
 */
import { scaleLinear } from 'd3-scale'
import type { CutView, FittingView, WaveformView } from '../shared/http'
import { pictureEnd } from './sheet'
import { bandPath, loudestOf } from './band'
import { clipped, thinned, type Label } from './fit'

export const MAP = {
  height: 338,
  bedTop: 36,
  bedMiddle: 60,
  bedHalf: 23,
  /** Pins are pulled from this rail. */
  rail: 88,
  ribbonTop: 94,
  ribbonBottom: 240,
  cutMiddle: 276,
  cutHalf: 19,
  phrases: 302,
  foot: 326,
} as const
const LEFT = 8
const RIGHT = 22

export interface Ribbon {
  path: string
  piece: number
  /** Where its edges leave the bed: what is dragged. */
  from: number
  to: number
}

export interface Strip {
  x: number
  width: number
  text: string
}

export interface MapLayout {
  bed: string
  cut: string
  letters: (Label & { lineX: number })[]
  ribbons: Ribbon[]
  splices: { x: number; label: string; hard: number; index: number }[]
  shots: Label[]
  moments: { x: number; text: string }[]
  phrases: { x: number; width: number }[]
  leftOut: { x: number; width: number }[]
  kept: Strip[]
  unwanted: Strip[]
  pins: { bedX: number; cutX: number; bedS: number; cutS: number }[]
  bedX: (seconds: number) => number
  cutX: (seconds: number) => number
  bedSeconds: (px: number) => number
  cutSeconds: (px: number) => number
  right: number
}

/** `lengthS` is the length of the cut, or the one that is being tried. */
export function layoutMap(
  cut: CutView,
  fitting: FittingView,
  lengthS: number,
  bedWave: WaveformView | null,
  cutWave: WaveformView | null,
  width: number,
): MapLayout {
  const right = Math.max(LEFT + 200, width - RIGHT)
  const bedLengthS = cut.bed?.lengthS ?? 1
  const bedScale = scaleLinear([0, bedLengthS], [LEFT, right])
  const cutScale = scaleLinear([0, lengthS], [LEFT, right])
  const [bedX, cutX] = [(s: number) => bedScale(s), (s: number) => cutScale(s)]
  const sections = cut.bed?.reading?.sections ?? []
  const wishes = cut.plan.wishes
  const band = (wave: WaveformView | null, endS: number, x: (s: number) => number, middle: number, half: number) =>
    wave ? bandPath(wave.peaks, wave.stepS, 0, endS, x, middle, half, loudestOf(wave.peaks)) : ''
  const inCut = cut.shots.filter((shot) => shot.atS < lengthS)
  const shots = inCut.map((shot, k) => {
    const next = inCut[k + 1]
    return { x: cutX(shot.atS), text: clipped(shot.name, 11, (next ? cutX(next.atS) : right) - cutX(shot.atS) - 8) }
  })
  const strip = (text: string) => (span: { startS: number; endS: number }) => ({
    x: bedX(span.startS),
    width: Math.max(2, bedX(span.endS) - bedX(span.startS)),
    text: clipped(text, 11, bedX(span.endS) - bedX(span.startS) - 6),
  })
  return {
    bed: band(bedWave, bedLengthS, bedX, MAP.bedMiddle, MAP.bedHalf),
    cut: band(cutWave, Math.min(cut.lengthS, lengthS), cutX, MAP.cutMiddle, MAP.cutHalf),
    letters: sections.map((section) => ({
      x: bedX(section.startS) + 2,
      lineX: bedX(section.startS),
      text: section.label,
    })),
    ribbons: fitting.pieces.map((piece, index) => {
      const [from, to] = [bedX(piece.sourceStartS), bedX(Math.min(piece.sourceEndS, bedLengthS))]
      return { piece: index, from, to, path: ribbon(from, to, cutX(piece.cutStartS), cutX(piece.cutEndS)) }
    }),
    splices: thinned(
      fitting.splices.map((splice, index) => ({
        x: cutX(splice.atS),
        width: 50,
        label: `${splice.leaveBar} › ${splice.enterBar}`,
        hard: splice.hardToHear,
        index,
      })),
    ),
    shots,
    moments: [...cut.moments, ...pictureEnd(cut)]
      .filter((m) => m.atS < lengthS)
      .map((m) => ({ x: cutX(m.atS), text: m.name })),
    phrases: cut.plan.phrases
      .filter((phrase) => phrase.startS < lengthS)
      .map((phrase) => ({
        x: cutX(phrase.startS),
        width: cutX(Math.min(phrase.endS, lengthS)) - cutX(phrase.startS),
      })),
    leftOut: leftOut(fitting, bedLengthS).map(([from, to]) => ({ x: bedX(from), width: bedX(to) - bedX(from) })),
    kept: wishes.keep.map(strip('keep')),
    unwanted: wishes.leaveOut.map(strip('leave out')),
    pins: wishes.pins.map(({ bedS, cutS }) => ({ bedX: bedX(bedS), cutX: cutX(cutS), bedS, cutS })),
    bedX,
    cutX,
    bedSeconds: (px) => Math.min(bedLengthS, Math.max(0, bedScale.invert(px))),
    cutSeconds: (px) => Math.min(lengthS, Math.max(0, cutScale.invert(px))),
    right,
  }
}

/** The nearest of some times, and its place among them. */
export function nearest(times: readonly number[], seconds: number): { index: number; atS: number } {
  let index = 0
  times.forEach((time, k) => {
    if (Math.abs(time - seconds) < Math.abs((times[index] ?? Infinity) - seconds)) index = k
  })
  return { index, atS: times[index] ?? seconds }
}

/** Two edges that leave the bed straight down and meet the cut straight down. */
export function ribbon(
  bedFrom: number,
  bedTo: number,
  cutFrom: number,
  cutTo: number,
  { ribbonTop: top, ribbonBottom: bottom }: { ribbonTop: number; ribbonBottom: number } = MAP,
): string {
  const middle = (top + bottom) / 2
  return (
    `M${bedFrom} ${top}C${bedFrom} ${middle} ${cutFrom} ${middle} ${cutFrom} ${bottom}` +
    `L${cutTo} ${bottom}C${cutTo} ${middle} ${bedTo} ${middle} ${bedTo} ${top}Z`
  )
}

/** Spans of the bed that no run plays, in seconds; those under a quarter second are not worth showing. */
export function leftOut(fitting: FittingView, bedLengthS: number): [number, number][] {
  const spans = fitting.pieces
    .map((piece): [number, number] => [piece.sourceStartS, Math.min(piece.sourceEndS, bedLengthS)])
    .sort((a, b) => a[0] - b[0])
  const holes: [number, number][] = []
  let at = 0
  for (const [from, to] of spans) {
    if (from - at > 0.25) holes.push([at, from])
    at = Math.max(at, to)
  }
  if (bedLengthS - at > 0.25) holes.push([at, bedLengthS])
  return holes
}
