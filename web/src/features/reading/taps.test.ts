import { describe, expect, it } from 'vitest'
import { tapped, tappedBpm } from './taps'

describe('tapping along', () => {
  it('tells the tempo of what was tapped', () => {
    const taps = [10, 10.5, 11.01, 11.5].reduce<number[]>(tapped, [])
    expect(taps).toHaveLength(4)
    expect(tappedBpm(taps)).toBeCloseTo(120, 5)
    expect(tappedBpm([10])).toBeNull()
  })

  it('begins anew after a pause, and when the bed was wound back', () => {
    expect(tapped([10, 10.5], 13)).toEqual([13])
    expect(tapped([10, 10.5], 10.2)).toEqual([10.2])
  })
})
