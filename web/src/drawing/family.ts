/**
 * One of several lengths: the whole bed above, its cut below at the scale of the longest, ribbons between them.
 * Pure geometry; FamilyMap.vue draws it.
 */
import type { FamilyCutView } from '../shared/http'
import { thinned } from './fit'
import { ribbon } from './map'

export const FAMILY = { height: 86, bedTop: 14, ribbonTop: 26, ribbonBottom: 56, cutBottom: 68, foot: 82 } as const

export interface FamilyLayout {
  bedRight: number
  cutRight: number
  letters: { x: number; text: string }[]
  ribbons: string[]
  heard: { x: number; width: number }[]
  splices: { x: number; text: string }[]
}

/** `longestS` is the length of the longest of them, which is as wide as the bed. */
export function layoutFamily(cut: FamilyCutView, longestS: number, width: number): FamilyLayout {
  const right = Math.max(60, width)
  const bedX = (seconds: number) => (Math.min(seconds, cut.bedS) / Math.max(cut.bedS, 1e-3)) * right
  const cutX = (seconds: number) => (seconds / Math.max(longestS, 1e-3)) * right
  const pieces = cut.fitting?.pieces ?? []
  return {
    bedRight: right,
    cutRight: cutX(cut.lengthS),
    letters: thinned(cut.sections.map((s) => ({ x: bedX(s.startS), width: 12, text: s.label }))),
    ribbons: pieces.map((piece) =>
      ribbon(bedX(piece.sourceStartS), bedX(piece.sourceEndS), cutX(piece.cutStartS), cutX(piece.cutEndS), FAMILY),
    ),
    heard: pieces.map((piece) => ({
      x: bedX(piece.sourceStartS),
      width: Math.max(1, bedX(piece.sourceEndS) - bedX(piece.sourceStartS)),
    })),
    splices: thinned(
      (cut.fitting?.splices ?? []).map((s) => ({ x: cutX(s.atS), width: 18, text: String(s.hardToHear) })),
    ),
  }
}
