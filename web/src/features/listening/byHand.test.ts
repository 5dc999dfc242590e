import { describe, expect, it, vi } from 'vitest'
import { addGained, ReadySound } from './byHand'
import { RATE_HZ } from './player'

const plane = (length: number, value: (k: number) => number) => Float32Array.from({ length }, (_, k) => value(k))

describe('what a hand moves', () => {
  it('adds to the mix what a layer gains, linear between the corners and nothing outside of them', () => {
    const mix = [plane(100, () => 0.5), plane(100, () => -0.5)]
    const layer = [plane(100, () => 1), plane(100, () => 2)]
    // From sample 1020 to 1060 of the cut the layer rises by 0.4.
    addGained(mix, layer, { layer: 0, atSamples: [1000, 1020, 1060, 1064], gains: [0, 0, 0.4, 0.4] }, 1000)
    expect(mix[0]![19]).toBeCloseTo(0.5, 6)
    expect(mix[0]![40]).toBeCloseTo(0.5 + 0.2, 6)
    expect(mix[1]![40]).toBeCloseTo(-0.5 + 0.4, 6)
    expect(mix[0]![63]).toBeCloseTo(0.9, 6)
    expect(mix[0]![64]).toBeCloseTo(0.5, 6)
  })

  it('begins within a stretch, and makes softer too', () => {
    const mix = [plane(10, () => 1)]
    addGained(mix, [plane(10, () => 1)], { layer: 0, atSamples: [0, 64], gains: [-0.64, 0] }, 32)
    expect(mix[0]![0]).toBeCloseTo(1 - 0.32, 6)
    expect(mix[0]![9]).toBeCloseTo(1 - 0.23, 6)
  })

  it('keeps pieces ready, asks for each once, and gives ranges across them', async () => {
    const asked: [number, number][] = []
    const fetch = vi.fn(async (_: string, from: number, length: number) => {
      asked.push([from, length])
      return { getChannelData: () => plane(length, (k) => from + k) } as unknown as AudioBuffer
    })
    const ready = new ReadySound(fetch, () => 9 * RATE_HZ)
    ready.keep('a', RATE_HZ, 7 * RATE_HZ)
    const [left] = await ready.read('a', 4 * RATE_HZ - 2, 4)
    expect([...left!]).toEqual([0, 1, 2, 3].map((k) => 4 * RATE_HZ - 2 + k))
    expect(asked).toEqual([
      [0, 4 * RATE_HZ],
      [4 * RATE_HZ, 4 * RATE_HZ],
    ])
    // The last one is as short as the cut has it.
    await ready.read('a', 8 * RATE_HZ, RATE_HZ)
    expect(asked[2]).toEqual([8 * RATE_HZ, RATE_HZ])
  })

  it('asks again for what did not come', async () => {
    let there = false
    const fetch = vi.fn(async (_: string, __: number, length: number) => {
      if (!there) throw new Error('gone')
      return { getChannelData: () => plane(length, () => 1) } as unknown as AudioBuffer
    })
    const ready = new ReadySound(fetch, () => RATE_HZ)
    await expect(ready.read('a', 0, 10)).rejects.toThrow('gone')
    there = true
    expect((await ready.read('a', 0, 10))[0]![9]).toBe(1)
  })
})
