/**
 * The picture of a cut as lines of time, like systems of a score: shots with a small picture at
 * their starts, moments over them. Pure geometry.
 */
import { scaleLinear } from 'd3-scale'
import { clipped, textWidth } from './fit'

export const LINE = { height: 104, top: 20, picture: 54, names: 88 } as const
const LEFT = 60
const RIGHT = 16
/** Width of a small picture, in px. */
export const SMALL = 96

export interface ShotBox {
  index: number
  x: number
  width: number
  /** Whether the shot begins on this line; what runs on from the line before has no name again. */
  begins: boolean
  name: string
  still: boolean
  frame: number
}
export interface MomentMark {
  index: number
  x: number
  text: string
}
export interface PictureLine {
  index: number
  startS: number
  endX: number
  shots: ShotBox[]
  moments: MomentMark[]
}

interface Shown {
  lengthS: number
  shots: { name: string; atS: number; lengthS: number; still: boolean; frame: number }[]
  moments: { name: string; atS: number }[]
}

export interface PictureLayout {
  lines: PictureLine[]
  height: number
  x: (line: number, seconds: number) => number
  seconds: (line: number, px: number) => number
}

export function layoutPicture(cut: Shown, secondsPerLine: number, width: number): PictureLayout {
  const scale = scaleLinear([0, secondsPerLine], [LEFT, Math.max(LEFT + 100, width - RIGHT)])
  const count = Math.max(1, Math.ceil(cut.lengthS / secondsPerLine - 1e-6))
  const x = (line: number, seconds: number) => scale(seconds - line * secondsPerLine)
  const lines = Array.from({ length: count }, (_, index): PictureLine => {
    const startS = index * secondsPerLine
    const endS = Math.min(cut.lengthS, startS + secondsPerLine)
    const shots = cut.shots.flatMap((shot, k): ShotBox[] => {
      const from = Math.max(startS, shot.atS)
      const to = Math.min(endS, shot.atS + shot.lengthS)
      if (to - from <= 1e-6) return []
      const begins = shot.atS >= startS
      const boxWidth = x(index, to) - x(index, from)
      const name = begins ? clipped(shot.name, 13, boxWidth - 8) : ''
      return [{ index: k, x: x(index, from), width: boxWidth, begins, name, still: shot.still, frame: shot.frame }]
    })
    const moments: MomentMark[] = []
    let free = 0
    cut.moments.forEach((moment, k) => {
      if (moment.atS < startS || moment.atS >= endS) return
      const at = x(index, moment.atS)
      // A name that would run into the one before is left to the list.
      const text = at >= free ? moment.name : ''
      if (text) free = at + 22 + textWidth(text, 12)
      moments.push({ index: k, x: at, text })
    })
    return { index, startS, endX: x(index, endS), shots, moments }
  })
  const seconds = (line: number, px: number) =>
    Math.min(cut.lengthS, Math.max(0, line * secondsPerLine + Math.min(secondsPerLine, Math.max(0, scale.invert(px)))))
  return { lines, height: count * LINE.height, x, seconds }
}
