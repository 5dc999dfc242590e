import { describe, expect, it } from 'vitest'
import { layoutLoudness } from './loudness'

describe('the strip of loudness', () => {
  const steps = Array.from({ length: 100 }, (_, k) => (k < 50 ? -23 : null))

  it('puts moments and levels where they belong', () => {
    const strip = layoutLoudness(steps, steps, 0.1, 10, 1000, 90)
    expect(strip.x(5)).toBe(500)
    expect([strip.y(-50), strip.y(-5), strip.y(-27.5)]).toEqual([90, 0, 45])
    expect([strip.y(-90), strip.y(3)]).toEqual([90, 0])
  })

  it('breaks the line where nothing is heard, and has no more points than pixels', () => {
    const strip = layoutLoudness(steps, steps, 0.1, 10, 1000, 90)
    expect(strip.shortTerm.match(/M/g)).toHaveLength(1)
    expect(strip.shortTerm.match(/L/g)).toHaveLength(49)
    const long = layoutLoudness(Array(36_000).fill(-20), Array(36_000).fill(-20), 0.1, 3600, 600, 90)
    expect(long.momentary.match(/L/g)!.length).toBeLessThanOrEqual(602)
    expect(layoutLoudness([], [], 0.1, 0, 600, 90).momentary).toBe('')
  })
})
