import { laneRows, type LaneView } from '../../drawing/lanes'
import { laneY, ROWS, type SheetLayout } from '../../drawing/sheet'
import type { Change, CutView, LevelChange, LevelView } from '../../shared/http'
import { bare, clock, decibels, samples } from '../../shared/words'
import { levelKey } from './choices'

/** Something on the sheet that lies at a moment and can be taken to another one, by hand or by arrow keys. */
export interface Handle {
  key: string
  line: number
  x: number
  y: number
  look: 'edge' | 'tip' | 'moment' | 'wedge'
  label: string
  atS: number
  fromS: number
  untilS: number
  /** What is said when it is taken to a moment. */
  at: (seconds: number) => Change
  /** What is said when it is to be louder by so many dB. */
  louder?: (byDb: number) => Change
  /** What it belongs to. */
  level?: LevelView
  lane?: LaneView
}

/** Shorter is no passage. */
const LEAST_S = 0.1
const LONGEST_S = 60

type Placed = Omit<Handle, 'line' | 'x' | 'y'> & { y: number }

function set(lane: LaneView | null, level: LevelView, change: LevelChange): Change {
  return { about: 'levels', do: 'set', levels: [level.name], change, ...(lane && { lane: lane.lane }) }
}

function step(lane: LaneView | null, level: LevelView, byDb: number): Change {
  return { about: 'levels', do: 'step', level: level.name, byDb, ...(lane && { lane: lane.lane }) }
}

function passages(levels: readonly LevelView[], lane: LaneView | null, y: number, lengthS: number): Placed[] {
  const of = lane ? bare(lane.name) : 'bed'
  return levels
    .filter((level) => level.kind === 'sweep')
    .flatMap((level, k) => {
      const both = {
        level,
        ...(lane && { lane }),
        y,
        look: 'edge' as const,
        louder: (db: number) => step(lane, level, db),
      }
      const words = `${of}, passage of ${decibels(level.gainDb)} dB`
      const key = `${lane ? JSON.stringify(lane.lane) : 'bed'} passage ${k}`
      return [
        {
          ...both,
          key: `${key} from`,
          label: `${words}, from`,
          atS: level.startS,
          fromS: 0,
          untilS: level.endS - LEAST_S,
          at: (s: number) => set(lane, level, { startSamples: samples(s) }),
        },
        {
          ...both,
          key: `${key} to`,
          label: `${words}, to`,
          atS: level.endS,
          fromS: level.startS + LEAST_S,
          untilS: lengthS,
          at: (s: number) => set(lane, level, { endSamples: samples(s) }),
        },
      ]
    })
}

function laneHandles(lane: LaneView, y: number, lengthS: number): Placed[] {
  const name = bare(lane.name)
  const key = JSON.stringify(lane.lane)
  const { lane: of } = lane
  const placed = (startSamples: number | null, endSamples: number | null): Change =>
    of.of === 'film'
      ? { about: 'film', do: 'sound', fromSamples: startSamples, untilSamples: endSamples }
      : { about: 'levels', do: 'ambience', sound: of.sound, startSamples, endSamples }
  const edges: Placed[] = [
    {
      key: `${key} start`,
      look: 'edge',
      label: `${name} begins`,
      atS: lane.startS,
      fromS: 0,
      untilS: lane.endS - LEAST_S,
      at: (s) => placed(samples(s), null),
      lane,
      y,
    },
    {
      key: `${key} end`,
      look: 'edge',
      label: `${name} ends`,
      atS: lane.endS,
      fromS: lane.startS + LEAST_S,
      untilS: lengthS,
      at: (s) => placed(null, samples(s)),
      lane,
      y,
    },
  ]
  const fades = lane.levels.flatMap((level): Placed[] => {
    const room = Math.min(LONGEST_S, lane.endS - lane.startS)
    if (level.kind === 'fadeIn')
      return [
        {
          key: `${key} fade in`,
          look: 'tip',
          label: `${name}, faded in until`,
          atS: lane.startS + level.riseS,
          fromS: lane.startS,
          untilS: lane.startS + room,
          at: (s) => set(lane, level, { riseS: s - lane.startS }),
          level,
          lane,
          y,
        },
      ]
    if (level.kind === 'fadeOut')
      return [
        {
          key: `${key} fade out`,
          look: 'tip',
          label: `${name}, faded out from`,
          atS: lane.endS - level.fallS,
          fromS: lane.endS - room,
          untilS: lane.endS,
          at: (s) => set(lane, level, { fallS: lane.endS - s }),
          level,
          lane,
          y,
        },
      ]
    return []
  })
  return [...edges, ...fades, ...passages(lane.levels, lane, y, lengthS)]
}

const WEDGES = {
  swell: { rise: 'swell, risen at', fall: 'swell, falls from' },
  fadeIn: { rise: 'bed, faded in until', fall: '' },
  fadeOut: { rise: '', fall: 'bed, faded out from' },
} as const

/** Tops of swells and inner ends of fades of the bed. */
function wedges(level: LevelView): Placed[] {
  if (level.kind !== 'swell' && level.kind !== 'fadeIn' && level.kind !== 'fadeOut') return []
  const words = WEDGES[level.kind]
  const louder = level.kind === 'swell' ? { louder: (db: number) => step(null, level, db) } : {}
  const both = { look: 'wedge' as const, level, y: ROWS.hairpins, ...louder }
  const one = level.kind === 'swell' ? LEAST_S : 0
  const [riseEndS, fallStartS] = [level.startS + level.riseS, level.endS - level.fallS]
  const all: Placed[] = []
  if (words.rise && (level.riseS > 0 || level.kind === 'fadeIn'))
    all.push({
      ...both,
      key: `${levelKey(level.name)} rise`,
      label: words.rise,
      atS: riseEndS,
      fromS: level.startS + one,
      untilS: level.kind === 'fadeIn' ? level.startS + LONGEST_S : fallStartS,
      at: (s) => set(null, level, { riseS: s - level.startS }),
    })
  if (words.fall && (level.fallS > 0 || level.kind === 'fadeOut'))
    all.push({
      ...both,
      key: `${levelKey(level.name)} fall`,
      label: words.fall,
      atS: fallStartS,
      fromS: level.kind === 'fadeOut' ? level.endS - LONGEST_S : riseEndS,
      untilS: level.endS - one,
      at: (s) => set(null, level, { fallS: level.endS - s }),
    })
  return all
}

function moments(cut: CutView): Placed[] {
  const rate = cut.rate.num / cut.rate.den
  return cut.moments.map(({ frame, kind, name, atS }) => ({
    key: `moment ${kind} ${frame}`,
    look: 'moment',
    label: `moment ${name}`,
    atS,
    fromS: 0,
    untilS: (cut.lengthFrames - 1) / rate,
    at: (s) => {
      const change = { moment: { frame, kind }, frame: Math.round(s * rate), kind, name: '' }
      return { about: 'picture', do: 'changeMoment', ...change }
    },
    y: ROWS.shots - 3,
  }))
}

/** Everything on the lines that are seen that can be taken hold of at a moment, in the order in which it is heard. */
export function sheetHandles(cut: CutView, sheet: SheetLayout, secondsPerLine: number): Handle[] {
  const { lanes, levels } = cut.plan
  const rows = laneRows(lanes)
  const all = [
    ...moments(cut),
    ...levels.flatMap(wedges),
    ...passages(levels, null, ROWS.band + 22, cut.lengthS),
    ...lanes.flatMap((lane, k) => laneHandles(lane, laneY(rows[k] ?? 0), cut.lengthS)),
  ]
  const seen = new Set(sheet.lines.map((line) => line.index))
  const placed = all.map((one): Handle => {
    // What lies on the end of a line is taken there, not at the head of the next one.
    const line = Math.max(0, Math.ceil(one.atS / secondsPerLine - 1e-6) - 1)
    const head = one.label.endsWith('begins') || one.look === 'moment'
    const at = head ? Math.min(sheet.count - 1, Math.floor(one.atS / secondsPerLine + 1e-6)) : line
    return { ...one, line: at, x: sheet.x(at, one.atS) }
  })
  return placed.filter((one) => seen.has(one.line)).sort((a, b) => a.line - b.line || a.atS - b.atS)
}

/** What is said of where a handle lies. */
export const placeWords = (handle: Handle, atS: number) => `${handle.label} ${clock(atS, true)}`
