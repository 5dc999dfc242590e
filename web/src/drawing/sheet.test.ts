import { describe, expect, it } from 'vitest'
import type { LevelView } from '../shared/http'
import { fitting, swell, testCut } from '../shared/testCut'
import { clipped, thinned } from './fit'
import { bandPath, height } from './band'
import { laneBand, laneRows, type LaneView } from './lanes'
import { layoutSheet, ROWS } from './sheet'
import { layoutMap, leftOut, nearest } from './map'

describe('the sheet', () => {
  const sheet = layoutSheet(testCut(), { stepS: 0.01, peaks: Array(3000).fill(1000) }, 10, 1062, 116)

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

  it('draws the voice where it is heard, from the place of its take', () => {
    const cut = testCut()
    const piece = { take: 't', startS: 4, endS: 12, sourceStartS: 1, scratch: false }
    // A take that is loud in its second and third second only.
    const peaks = Array.from({ length: 100 }, (_, k) => (k >= 10 && k < 30 ? 1000 : 0))
    const { lines, x } = layoutSheet({ ...cut, pieces: [piece] }, null, 10, 1062, 116, undefined, {
      t: { stepS: 0.1, peaks },
    })
    expect(lines.map((line) => line.voice.length)).toEqual([1, 1, 0])
    const points = lines[0]!.voice[0]!.slice(1, -1).split('L')
    const loud = points.map((p) => p.split(' ').map(Number)).filter(([, y]) => y! < ROWS.words - 8)
    expect(loud[0]![0]).toBeCloseTo(x(0, 4), -1)
    expect(loud.at(-1)![0]).toBeCloseTo(x(0, 6), -1)
  })

  it('marks splice, letter and ring-out where they are heard', () => {
    expect(sheet.lines[1]?.splices[0]).toMatchObject({ label: '6 › 22', x: sheet.x(1, 12) })
    expect(sheet.lines[0]?.letters[0]?.text).toBe('A')
    expect(sheet.lines[2]?.ringOut).toBeCloseTo(sheet.x(2, 28))
  })

  it('lays out only what is seen, and knows how much there is', () => {
    const hour = { ...testCut(), lengthS: 3600, lengthFrames: 90_000 }
    const part = layoutSheet(hour, null, 15, 1062, 116, { first: 99, last: 106 })
    expect([part.count, part.lines.length, part.lines[0]?.startS]).toEqual([240, 8, 99 * 15])
    expect(layoutSheet(hour, null, 15, 1062, 116, { first: 500, last: 510 }).lines).toHaveLength(1)
    expect(part.lines[0]).toEqual(layoutSheet(hour, null, 15, 1062, 116).lines[99])
  })

  it('lets lanes that are never heard at once share a row', () => {
    const places = [
      { startS: 0, endS: 20 },
      { startS: 10, endS: 30 },
      { startS: 20, endS: 40 },
    ]
    expect(laneRows(places)).toEqual([0, 1, 0])
  })

  it('draws a lane thinner where it is faded or lowered, and writes by how much beside its name', () => {
    const fade: LevelView = { ...swell, kind: 'fadeIn', startS: 0, endS: 2, riseS: 2, fallS: 0 }
    const passage: LevelView = { ...swell, kind: 'sweep', startS: 4, endS: 8, riseS: 1, fallS: 1, gainDb: -10 }
    const lane: LaneView = {
      lane: { of: 'film' },
      name: 'film',
      rule: 'untouched',
      startS: 0,
      endS: 30,
      levels: [fade, passage],
    }
    const x = (s: number) => s * 100
    const [band] = laneBand(lane, 0, 50, [], 0, 10, x)
    const upper = band!.path
      .slice(1, -1)
      .split('L')
      .map((point) => point.split(' ').map(Number))
    const half = (atX: number) => 50 - upper.find(([px]) => px === atX)![1]!
    expect([half(0), half(200), half(500), half(1000)]).toEqual([0, 3, 1.5, 3])
    expect(band!.passages[0]).toMatchObject({ x: 400, width: 400, text: '−10 dB' })
    expect(laneBand(lane, 0, 50, [], 30, 40, x)).toEqual([])
  })

  it('marks the splices of every bed of the cut', () => {
    const one = testCut()
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
    const full = testCut()
    const bare = { ...full, plan: { ...full.plan, fittings: [], parts: [], barLines: [], levels: [], phrases: [] } }
    expect(layoutSheet(bare, null, 15, 0, 116).lines).toHaveLength(2)
  })
})

describe('the map', () => {
  const one = testCut()

  it('has a ribbon a piece, and shows what is left out', () => {
    const map = layoutMap(one, fitting, 30, null, null, 1000)
    expect(map.ribbons).toHaveLength(2)
    expect(leftOut(fitting, 60)).toEqual([[12, 42]])
    expect(map.cutSeconds(map.cutX(17.5))).toBeCloseTo(17.5)
    expect(map.bedX(60)).toBeCloseTo(map.cutX(30))
  })

  it('shows passages that are kept, and pins', () => {
    const map = layoutMap(one, fitting, 30, null, null, 1000)
    expect(map.kept.map((k) => [k.x, k.width])).toEqual([[map.bedX(12), map.bedX(20) - map.bedX(12)]])
    expect(map.pins.map((p) => [p.bedX, p.cutX, p.cutS])).toEqual([[map.bedX(4), map.cutX(8), 8]])
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
