/**
 * The map: the bed above, the cut below, and a ribbon for every run that is kept.
 * Pure geometry; MapView.vue draws it.
 */
import { scaleLinear } from 'd3-scale'
import type { CutView, FittingView, WaveformView } from '../shared/http'
import { bandPath, loudestOf } from './band'
import { clipped, type Label } from './fit'

export const MAP = {
  height: 430,
  bedMiddle: 62,
  bedHalf: 26,
  ribbonTop: 92,
  ribbonBottom: 332,
  cutMiddle: 368,
  cutHalf: 20,
  phrases: 396,
  foot: 418,
} as const
const LEFT = 8
const RIGHT = 12

export interface Ribbon {
  path: string
  piece: number
}

export interface MapLayout {
  bed: string
  cut: string
  letters: (Label & { lineX: number })[]
  ribbons: Ribbon[]
  splices: { x: number; label: string; audible: string }[]
  shots: Label[]
  phrases: { x: number; width: number }[]
  leftOut: { x: number; width: number }[]
  bedX: (seconds: number) => number
  cutX: (seconds: number) => number
  cutSeconds: (px: number) => number
  right: number
}

export function layoutMap(
  cut: CutView,
  fitting: FittingView,
  bedWave: WaveformView | null,
  cutWave: WaveformView | null,
  width: number,
): MapLayout {
  const right = Math.max(LEFT + 200, width - RIGHT)
  const bedLengthS = cut.bed?.lengthS ?? 1
  const bedScale = scaleLinear([0, bedLengthS], [LEFT, right])
  const cutScale = scaleLinear([0, cut.lengthS], [LEFT, right])
  const [bedX, cutX] = [(s: number) => bedScale(s), (s: number) => cutScale(s)]
  const sections = cut.bed?.reading?.sections ?? []
  const band = (wave: WaveformView | null, endS: number, x: (s: number) => number, middle: number, half: number) =>
    wave ? bandPath(wave.peaks, wave.stepS, 0, endS, x, middle, half, loudestOf(wave.peaks)) : ''
  const shots = cut.shots.map((shot, k) => {
    const next = cut.shots[k + 1]
    return { x: cutX(shot.atS), text: clipped(shot.name, 11, (next ? cutX(next.atS) : right) - cutX(shot.atS) - 8) }
  })
  return {
    bed: band(bedWave, bedLengthS, bedX, MAP.bedMiddle, MAP.bedHalf),
    cut: band(cutWave, cut.lengthS, cutX, MAP.cutMiddle, MAP.cutHalf),
    letters: sections.map((section) => ({
      x: bedX(section.startS) + 2,
      lineX: bedX(section.startS),
      text: section.label,
    })),
    ribbons: fitting.pieces.map((piece, index) => ({
      piece: index,
      path: ribbon(
        bedX(piece.sourceStartS),
        bedX(Math.min(piece.sourceEndS, bedLengthS)),
        cutX(piece.cutStartS),
        cutX(piece.cutEndS),
      ),
    })),
    splices: fitting.splices.map((splice) => ({
      x: cutX(splice.atS),
      label: `${splice.leaveBar} › ${splice.enterBar}`,
      audible: splice.audible,
    })),
    shots,
    phrases: (cut.plan?.phrases ?? [])
      .filter((phrase) => phrase.startS < cut.lengthS)
      .map((phrase) => ({
        x: cutX(phrase.startS),
        width: cutX(Math.min(phrase.endS, cut.lengthS)) - cutX(phrase.startS),
      })),
    leftOut: leftOut(fitting, bedLengthS).map(([from, to]) => ({ x: bedX(from), width: bedX(to) - bedX(from) })),
    bedX,
    cutX,
    cutSeconds: (px) => Math.min(cut.lengthS, Math.max(0, cutScale.invert(px))),
    right,
  }
}

/** Two edges that leave the bed straight down and meet the cut straight down. */
function ribbon(bedFrom: number, bedTo: number, cutFrom: number, cutTo: number): string {
  const { ribbonTop: top, ribbonBottom: bottom } = MAP
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
