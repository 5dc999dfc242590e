/**
 * The film's own sound and the ambiences below the words of the sheet: a band each, as thick as it is loud.
 */
import type { CutView, LevelView } from '../shared/http'
import { bare, decibels } from '../shared/words'
import { textWidth } from './fit'

export type LaneView = CutView['plan']['lanes'][number]

/** Height of each row of lanes. */
export const LANE_PX = 12
/** Half of what a lane is thick where nothing else is said. */
const HALF_PX = 3

/** A passage by hand: a bracket, with by how much above it. */
export interface LanePassage {
  level: LevelView
  x: number
  width: number
  text: string
  textX: number
}

/** A lane within one line of the sheet. */
export interface LaneBand {
  index: number
  name: string
  x: number
  width: number
  /** Its middle. */
  y: number
  path: string
  /** Its name, where it begins to be seen. */
  label: string | null
  /** Where its rule takes it down. */
  thin: { x: number; width: number }[]
  passages: LanePassage[]
}

/** The row of each lane: those that are never heard at once share one. */
export function laneRows(all: readonly Pick<LaneView, 'startS' | 'endS'>[]): number[] {
  const rows: [number, number][][] = []
  return all.map(({ startS, endS }) => {
    const free = rows.findIndex((row) => row.every(([a, b]) => endS <= a || startS >= b))
    const row = free < 0 ? rows.push([]) - 1 : free
    rows[row]?.push([startS, endS])
    return row
  })
}

/** How many rows there are. */
export const rowCount = (all: readonly LaneView[]) => 1 + Math.max(-1, ...laneRows(all))

const fadeS = (lane: LaneView, kind: 'fadeIn' | 'fadeOut') => {
  const fade = lane.levels.find((level) => level.kind === kind)
  return (kind === 'fadeIn' ? fade?.riseS : fade?.fallS) ?? 0
}

/** What of a lane's thickness is there at a time: its fades, and its passages by hand. */
function thickness(lane: LaneView, atS: number): number {
  const share = (since: number, lengthS: number) => (lengthS <= 0 ? 1 : Math.min(1, Math.max(0, since / lengthS)))
  const passages = lane.levels.filter((level) => level.kind === 'sweep' && atS >= level.startS && atS <= level.endS)
  const swept = passages.reduce(
    (db, one) => db + one.gainDb * Math.min(share(atS - one.startS, one.riseS), share(one.endS - atS, one.fallS)),
    0,
  )
  const faded = share(atS - lane.startS, fadeS(lane, 'fadeIn')) * share(lane.endS - atS, fadeS(lane, 'fadeOut'))
  return Math.min(2, Math.max(0.2, 1 + swept / 20)) * faded
}

function outline(lane: LaneView, fromS: number, toS: number, y: number, x: (s: number) => number): string {
  const turns = [lane.startS + fadeS(lane, 'fadeIn'), lane.endS - fadeS(lane, 'fadeOut')]
  for (const one of lane.levels)
    if (one.kind === 'sweep') turns.push(one.startS, one.startS + one.riseS, one.endS - one.fallS, one.endS)
  const times = [fromS, ...turns.filter((s) => s > fromS && s < toS).sort((a, b) => a - b), toS]
  const point = (side: number) => (s: number) =>
    `${x(s).toFixed(1)} ${(y + side * HALF_PX * thickness(lane, s)).toFixed(2)}`
  return `M${[...times.map(point(-1)), ...times.reverse().map(point(1))].join('L')}Z`
}

/** A lane within a line, if it is heard there. */
export function laneBand(
  lane: LaneView,
  index: number,
  y: number,
  phrases: readonly { startS: number; endS: number }[],
  startS: number,
  endS: number,
  x: (s: number) => number,
): LaneBand[] {
  const from = Math.max(lane.startS, startS)
  const to = Math.min(lane.endS, endS)
  if (to <= from) return []
  const spoken = phrases
    .filter((p) => p.endS > from && p.startS < to)
    .map((p): [number, number] => [Math.max(p.startS, from), Math.min(p.endS, to)])
  const between: [number, number][] = []
  let at = from
  for (const [a, b] of spoken) {
    if (a > at) between.push([at, a])
    at = Math.max(at, b)
  }
  if (at < to) between.push([at, to])
  // A beginning too short to write on has its name on the next line.
  const NAMED_PX = 70
  const before = lane.startS < startS ? x(startS) - x(lane.startS) : 0
  const named = before < NAMED_PX && x(to) - x(from) >= NAMED_PX
  const thin = lane.rule === 'untouched' ? [] : lane.rule === 'onlyUnder' ? between : spoken
  const passages = lane.levels.filter((level) => level.kind === 'sweep' && level.endS > from && level.startS < to)
  const label = named ? bare(lane.name) : null
  const labelEnd = label ? x(from) + 8 + textWidth(label, 10) : 0
  return [
    {
      index,
      name: lane.name,
      x: x(from),
      width: x(to) - x(from),
      y,
      path: outline(lane, from, to, y, x),
      label,
      thin: thin.map(([a, b]) => ({ x: x(a), width: x(b) - x(a) })),
      passages: passages.map((level) => {
        const left = x(Math.max(level.startS, from))
        return {
          level,
          x: left,
          width: x(Math.min(level.endS, to)) - left,
          text: `${level.gainDb > 0 ? '+' : ''}${decibels(level.gainDb)} dB`,
          // Beside the name of the lane where both would stand in one place.
          textX: Math.max(left + 2, labelEnd),
        }
      }),
    },
  ]
}
