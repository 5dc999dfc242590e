/**
 * The bed as a page of bars: one row a phrase, sections begin a row. Pure geometry and facts of
 * each cell; BarsPage.vue draws them.
 */
import type { CutView } from '../shared/http'
import { clock } from '../shared/words'

export type BedReading = NonNullable<NonNullable<CutView['bed']>['reading']>

/** Levels this far under the loudest bar have no height left. */
const RANGE_DB = 30

export interface BarCell {
  /** From 1. */
  bar: number
  startS: number
  endS: number
  /** How much of the cell its level fills, 0 to 1. */
  fill: number
  /** The earliest bar that sounds the same; null where this one is new. */
  like: number | null
  sung: boolean
  firstSound: boolean
  lastHit: boolean
  /** How the bed moves here, if it does: said at the first bar of the motion. */
  motion: Motion | null
  label: string
}

export type Motion = BedReading['arcs'][number]['motion']

export const MOTIONS: Record<Motion, string> = { builds: 'builds', fillsOut: 'fills out', thinsOut: 'thins out' }

export interface BarRow {
  section: BedReading['sections'][number]
  sectionIndex: number
  /** Whether the section begins here. */
  begins: boolean
  cells: BarCell[]
}

/** The rows of a reading. */
export function barRows(reading: BedReading): BarRow[] {
  const hit = reading.ending === 'stopsDead' ? null : barAt(reading, reading.lastHitS)
  const first = barAt(reading, reading.musicStartS + 0.01)
  const cell = (bar: number, section: BedReading['sections'][number]): BarCell => {
    const startS = reading.barLinesS[bar - 1] ?? 0
    const endS = reading.barLinesS[bar] ?? startS
    const level = reading.barLevelsDb[bar - 1] ?? -RANGE_DB
    const earliest = reading.repeats[bar - 1] ?? bar
    const like = earliest === bar ? null : earliest
    const arc = reading.arcs.find((a) => a.startBar === bar) ?? null
    const sung = reading.singing.some((span) => span.startS < endS - 0.05 && span.endS > startS + 0.05)
    const words = [
      `bar ${bar}`,
      `section ${section.name ?? section.label}`,
      clock(startS, true),
      `${Math.round(-level)} dB under the loudest`,
      like && `sounds like bar ${like}`,
      sung && 'sung',
      arc && MOTIONS[arc.motion],
      bar === hit && (reading.ending === 'ownEnding' ? 'last hit' : 'fade begins'),
    ]
    return {
      bar,
      startS,
      endS,
      fill: Math.min(1, Math.max(0.06, 1 + level / RANGE_DB)),
      like,
      sung,
      firstSound: bar === first,
      lastHit: bar === hit,
      motion: arc?.motion ?? null,
      label: words.filter(Boolean).join(', '),
    }
  }
  return reading.sections.flatMap((section, sectionIndex) => {
    const starts = reading.phrases.filter((bar) => bar >= section.startBar && bar <= section.endBar)
    return starts.map((start, row) => {
      const end = starts[row + 1] ?? section.endBar + 1
      return {
        section,
        sectionIndex,
        begins: row === 0,
        cells: Array.from({ length: end - start }, (_, k) => cell(start + k, section)),
      }
    })
  })
}

/** The bar that sounds at a time, from 1; the nearest one outside of all. */
export function barAt(reading: BedReading, seconds: number): number {
  const count = reading.barLinesS.length - 1
  const index = reading.barLinesS.findIndex((line) => line > seconds)
  return Math.min(count, Math.max(1, index < 0 ? count : index))
}

/** The tempo of each bar as a line over the bed; even tempo is level. */
export function tempoPath(reading: BedReading, x: (seconds: number) => number, top: number, bottom: number): string {
  const middle = reading.tempoBpm
  if (!middle) return ''
  // A tenth faster or slower reaches the edge.
  const y = (bpm: number) => {
    const share = Math.min(1, Math.max(-1, (bpm / middle - 1) / 0.1))
    return (top + bottom) / 2 - (share * (bottom - top)) / 2
  }
  return reading.barTempiBpm
    .map((bpm, k) => {
      const from = x(reading.barLinesS[k] ?? 0)
      const to = x(reading.barLinesS[k + 1] ?? 0)
      return `${k ? 'L' : 'M'}${from.toFixed(1)} ${y(bpm).toFixed(1)}H${to.toFixed(1)}`
    })
    .join('')
}
