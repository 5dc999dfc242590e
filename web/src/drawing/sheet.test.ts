import { describe, expect, it } from 'vitest'
import type { CutView, FittingView, LevelView } from '../shared/http'
import { clipped, thinned } from './fit'
import { bandPath, height } from './band'
import { ambienceRows, layoutSheet, ROWS } from './sheet'
import { layoutMap, leftOut, nearest } from './map'

const swell: LevelView = {
  index: 3,
  kind: 'swell',
  startS: 8,
  endS: 14,
  riseS: 1.2,
  fallS: 1.2,
  underSpeechDb: 7,
  gainDb: -9,
  riseSlope: 'one',
  fallSlope: 'one',
  byHand: false,
}
const dip: LevelView = {
  ...swell,
  index: 4,
  kind: 'dip',
  startS: 14.1,
  endS: 18,
  riseS: 0,
  fallS: 0,
  underSpeechDb: 20,
}

function shot(name: string, atS: number, lengthS: number): CutView['shots'][number] {
  return { name, atS, lengthS, frame: atS * 25, timecode: '', still: false, byHand: false }
}

const fitting: FittingView = {
  pieces: [
    { sourceStartS: 0, sourceEndS: 12, cutStartS: 0, cutEndS: 12, startBar: 1, endBar: 6 },
    { sourceStartS: 42, sourceEndS: 60, cutStartS: 12, cutEndS: 30, startBar: 22, endBar: 30 },
  ],
  splices: [
    {
      atS: 12,
      leaveBar: 6,
      enterBar: 22,
      audible: 'silent',
      goodness: 1,
      crossfadeMs: 30,
      correlation: 0,
      why: '',
      hardToHear: 96,
      surprisePercent: 40,
      law: 'measured',
      movedMs: 0,
      laterMs: 0,
      terms: [],
      byHand: false,
      name: { leaveS: 12, enterS: 42 },
    },
  ],
  name: 'fewest splices',
  worst: 96,
  cost: 0.3,
  start: 'top',
  ringOutS: null,
  leftOutS: 30,
  repeatedS: 0,
  end: 'ownEnding',
  lastHitS: 28,
  speedChangePercent: 0,
  notes: [],
}

function cut(): CutView {
  return {
    id: 'x',
    title: 'Test',
    rate: { num: 25, den: 1, dropFrame: false, label: '25' },
    lengthFrames: 750,
    lengthS: 30,
    lengthTimecode: '00:00:30:00',
    shots: [shot('tower', 0, 8.6), shot('a rather long name of a shot', 8.6, 21.4)],
    moments: [{ name: 'strike', atS: 12, timecode: '', frame: 300, kind: 'hit', byHand: true }],
    bed: {
      hash: 'h',
      name: 'bed.wav',
      lengthS: 60,
      damaged: false,
      rateHz: 48000,
      channelCount: 2,
      reading: null,
      corrections: [],
    },
    firstTimecode: '00:00:00:00',
    firstFrame: 0,
    commercial: false,
    paidPlan: false,
    candidates: [],
    takes: [],
    pieces: [],
    lines: [],
    jobs: [],
    asOf: 0,
    plan: {
      revision: 1,
      what: '',
      parent: null,
      undo: null,
      redo: null,
      savedAt: '',
      lengthSamples: 1440000,
      chosen: 0,
      fittedBefore: false,
      wishes: {
        said: ['keep 0:12.0 to 0:20.0 of the bed', '0:04.0 of the bed on 0:08.0 of the cut'],
        keep: [{ startS: 12, endS: 20 }],
        leaveOut: [],
        pins: [{ bedS: 4, cutS: 8 }],
        place: null,
        start: 'free',
        end: 'free',
        leastRunBars: 4,
        mostPlays: null,
        speedPercent: 1,
        likings: [],
      },
      fittings: [fitting],
      parts: [
        {
          name: 'bed',
          hash: 'b',
          atHand: true,
          startS: 0,
          endS: 30,
          handoverAtS: 0,
          handoverS: 0,
          fitting,
        },
      ],
      barLines: [0, 2, 4, 6, 8].map((atS, k) => ({ atS, bar: k + 1, letter: k === 0 ? 'A' : null })),
      levels: [swell, dip],
      ambiences: [],
      pocketChoices: [],
      forms: {
        opening: { fallS: 4, slope: 'sharplyThenGently', enters: 0.5 },
        closing: { riseS: 4, slope: 'gentlyThenSharply' },
      },
      shape: {
        underSpeechDb: 20,
        aloneDb: 7,
        easeS: 1.2,
        leastGapS: 2.4,
        fadeShape: 'equalPower',
        evenVoice: false,
      },
      phrases: [{ startS: 9, endS: 11, words: 'one two three four' }],
      findings: [],
      lookedAt: [],
    },
  }
}

describe('the sheet', () => {
  const sheet = layoutSheet(cut(), { stepS: 0.01, peaks: Array(3000).fill(1000) }, 10, 1062, 116)

  it('wraps the time into lines, and pointing is the inverse of drawing', () => {
    expect(sheet.lines).toHaveLength(3)
    for (const seconds of [0, 4.2, 9.99])
      expect(sheet.seconds(1, sheet.x(1, 10 + seconds))).toBeCloseTo(10 + seconds, 6)
    expect(sheet.seconds(2, 99_999)).toBe(30)
    expect(sheet.seconds(0, -50)).toBe(0)
  })

  it('puts a phrase that crosses a line break on both lines, without losing a word', () => {
    const texts = sheet.lines.map((line) => line.words.map((word) => word.text).join(' '))
    expect(texts[0]).toBe('one two')
    expect(texts[1]).toBe('three four')
  })

  it('draws a swell as an opening and a closing wedge with the levels at their ends', () => {
    const [rise, fall] = sheet.lines.flatMap((line) => line.hairpins)
    expect(rise?.labels[0]?.text).toBe('−7')
    expect(fall?.labels[0]?.text).toBe('−20')
    expect(rise?.path).toContain(`L${sheet.x(0, 8)} ${ROWS.hairpins}`)
    expect(fall?.path).toContain(`L${sheet.x(1, 14)} ${ROWS.hairpins}`)
  })

  it('marks splice, letter and ring-out where they are heard', () => {
    expect(sheet.lines[1]?.splices[0]).toMatchObject({ label: '6 › 22', x: sheet.x(1, 12) })
    expect(sheet.lines[0]?.letters[0]?.text).toBe('A')
    expect(sheet.lines[2]?.ringOut).toBeCloseTo(sheet.x(2, 28))
  })

  it('lays out only what is seen, and knows how much there is', () => {
    const hour = { ...cut(), lengthS: 3600, lengthFrames: 90_000 }
    const part = layoutSheet(hour, null, 15, 1062, 116, { first: 99, last: 106 })
    expect([part.count, part.lines.length, part.lines[0]?.startS]).toEqual([240, 8, 99 * 15])
    expect(layoutSheet(hour, null, 15, 1062, 116, { first: 500, last: 510 }).lines).toHaveLength(1)
    expect(part.lines[0]).toEqual(layoutSheet(hour, null, 15, 1062, 116).lines[99])
  })

  it('lets ambiences that are never heard at once share a row', () => {
    const places = [
      { startS: 0, endS: 20 },
      { startS: 10, endS: 30 },
      { startS: 20, endS: null },
    ]
    expect(ambienceRows(places)).toEqual([0, 1, 0])
  })

  it('marks the splices of every bed of the cut', () => {
    const one = cut()
    const later = { ...fitting, splices: fitting.splices.map((splice) => ({ ...splice, atS: 25 })), lastHitS: null }
    const part = { ...one.plan.parts[0]!, atHand: false, startS: 20, fitting: later }
    const two = { ...one, plan: { ...one.plan, parts: [...one.plan.parts, part] } }
    const counts = layoutSheet(two, null, 10, 1062, 116).lines.map((line) => line.splices.length)
    expect(counts).toEqual([0, 1, 1])
  })

  it('writes a shot name that has no room on the next line', () => {
    expect(sheet.lines[0]?.shots[1]?.text).toBe('')
    expect(sheet.lines[1]?.carried?.text).toMatch(/^a rather long name/)
  })

  it('stands an empty plan', () => {
    const full = cut()
    const bare = { ...full, plan: { ...full.plan, fittings: [], parts: [], barLines: [], levels: [], phrases: [] } }
    expect(layoutSheet(bare, null, 15, 0, 116).lines).toHaveLength(2)
  })
})

describe('the map', () => {
  const one = cut()

  it('has a ribbon a piece, and shows what is left out', () => {
    const map = layoutMap(one, fitting, 30, null, null, 1000)
    expect(map.ribbons).toHaveLength(2)
    expect(leftOut(fitting, 60)).toEqual([[12, 42]])
    expect(map.cutSeconds(map.cutX(17.5))).toBeCloseTo(17.5)
    expect(map.bedX(60)).toBeCloseTo(map.cutX(30))
  })

  it('shows passages that are kept, and pins with their number in the list of what was said', () => {
    const map = layoutMap(one, fitting, 30, null, null, 1000)
    expect(map.kept.map((k) => [k.x, k.width])).toEqual([[map.bedX(12), map.bedX(20) - map.bedX(12)]])
    expect(map.pins.map((p) => [p.bedX, p.cutX, p.index])).toEqual([[map.bedX(4), map.cutX(8), 1]])
  })

  it('redraws the cut at a length that is being tried', () => {
    const map = layoutMap(one, fitting, 15, null, null, 1000)
    expect(map.cutX(15)).toBeCloseTo(map.right)
    expect(map.cutSeconds(5000)).toBe(15)
  })

  it('finds the nearest of some times', () => {
    expect(nearest([0, 2, 4], 2.9)).toEqual({ index: 1, atS: 2 })
    expect(nearest([], 3).atS).toBe(3)
  })
})

describe('text and bands', () => {
  it('clips text before it would overlap, and drops what would be a stub', () => {
    expect(clipped('tower', 12, 200)).toBe('tower')
    expect(clipped('a rather long name', 12, 60)).toMatch(/…$/)
    expect(clipped('a rather long name', 12, 10)).toBe('')
    const kept = thinned([0, 10, 40].map((x) => ({ x, width: 20 })))
    expect(kept.map((label) => label.x)).toEqual([0, 40])
  })

  it('stops NaN at the edge and keeps quiet parts visible', () => {
    expect(height(Number.NaN, 100, 20)).toBe(0)
    expect(height(1, 0, 20)).toBe(0)
    expect(height(10, 1000, 20)).toBeCloseTo(2)
    expect(bandPath([1, 2, 3], 1, 0, 3, (s) => s * 10, 50, 20, 3)).not.toContain('NaN')
    expect(bandPath([], 1, 0, 3, (s) => s * 10, 50, 20, 3)).toBe('')
  })
})
