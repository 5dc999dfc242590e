import { describe, expect, it } from 'vitest'
import type { HeardView } from '../../shared/http'
import { linesOf } from './heardLines'

const heard = (lengthS: number): HeardView => ({
  id: 'a',
  title: 'A',
  revision: 3,
  lengthSamples: lengthS * 48_000,
  lengthS,
  madeAt: '2026-11-30T08:00:00Z',
  film: false,
  filmAspect: null,
  frameRate: 25,
  spoken: [{ startS: 12, endS: 18, words: 'Every morning the clock is wound by hand, and every evening it stops.' }],
  bedDb: Array.from({ length: lengthS * 2 + 1 }, () => -12),
  remarks: [
    { id: 'r', revision: 3, atS: 16, words: 'Softer', approves: false, saidBy: 'C', done: false, createdAt: '' },
    { id: 's', revision: 3, atS: null, words: '', approves: true, saidBy: 'C', done: false, createdAt: '' },
  ],
  name: '',
  edits: false,
})

describe('the listening sheet', () => {
  it('has at most eight lines, whatever the length, and they join end to end', () => {
    for (const lengthS of [0.5, 15, 90, 121, 600, 7200]) {
      const lines = linesOf(heard(lengthS), null, 800)
      expect(lines.length).toBeLessThanOrEqual(8)
      lines.forEach((line, k) => expect(line.startS).toBeCloseTo(k * lines[0]!.lengthS))
      const last = lines[lines.length - 1]!
      expect(last.startS + (last.width / 800) * last.lengthS).toBeCloseTo(lengthS)
    }
  })
  it('shows a phrase on both lines that it lies on, its words on the first, as many as have room', () => {
    const [first, second] = linesOf(heard(90), null, 800)
    expect([first!.spoken.length, second!.spoken.length]).toEqual([1, 1])
    // The last 3 of the 15 s of a line: 160 px, some two dozen letters.
    expect(first!.spoken[0]!.text).toMatch(/^Every morning the.*…$/)
    expect(first!.spoken[0]!.text.length).toBeLessThan(28)
    expect(second!.spoken[0]!.text).toBe('')
  })
  it('plants flags where something was said of a moment', () => {
    const flags = linesOf(heard(90), null, 900).map((line) => line.flags)
    expect(flags.flat()).toEqual([{ id: 'r', x: 60, done: false }])
    expect(flags[1]).toHaveLength(1)
  })
  it('draws the band as high as the sound, mirrored', () => {
    const peaks = [...Array<number>(300).fill(65_535), ...Array<number>(300).fill(0)]
    const { band } = linesOf(heard(15), { stepS: 0.025, peaks }, 300)[0]!
    expect(band.startsWith('M0 -28.0L2 -28.0')).toBe(true)
    expect(band).toContain('L298 -0.0')
    expect(band.endsWith('L0 28.0Z')).toBe(true)
  })
})
