import { describe, expect, it, vi } from 'vitest'
import { chunks, Player, RATE_HZ, type PlayerWorld } from './player'

/** A sound clock that the test turns. */
function world(lengthSamples: number) {
  const starts: { at: number; samples: number; skipS: number }[] = []
  const stops: number[] = []
  const asked: [number, number][] = []
  const context = {
    currentTime: 0,
    destination: {},
    resume: async () => {},
    decodeAudioData: async (bytes: ArrayBuffer) => ({ samples: bytes.byteLength }),
    createGain: () => ({
      gain: { value: 1, setValueAtTime: () => {}, linearRampToValueAtTime: () => {} },
      connect: () => {},
    }),
    createBufferSource: () => {
      const node = {
        buffer: null as unknown as { samples: number },
        connect: () => {},
        stop: (at?: number) => at !== undefined && stops.push(at),
        start: (at: number, skipS = 0) => starts.push({ at, samples: node.buffer.samples, skipS }),
      }
      return node
    },
  }
  const ended = vi.fn()
  const failed = vi.fn()
  const made: PlayerWorld = {
    context: () => context as unknown as AudioContext,
    fetchChunk: async (from, length) => {
      asked.push([from, length])
      return new ArrayBuffer(length)
    },
    lengthSamples: () => lengthSamples,
    ended,
    failed,
  }
  return { made, context, starts, stops, asked, ended, failed }
}

const soon = () => new Promise((resolve) => setTimeout(resolve, 20))

describe('the player', () => {
  it('asks for short chunks first and covers the range without a hole', () => {
    const all = chunks(1000, 1_000_000)
    expect(all[0]).toEqual({ from: 1000, length: RATE_HZ / 2 })
    expect(all.slice(0, 6).map((chunk) => chunk.length / RATE_HZ)).toEqual([0.5, 1, 2, 4, 6, 6])
    expect(all.reduce((at, chunk) => (expect(chunk.from).toBe(at), at + chunk.length), 1000)).toBe(1_000_000)
    expect(chunks(5, 5)).toEqual([])
  })

  it('puts chunks end to end on the sound clock', async () => {
    const { made, starts } = world(RATE_HZ * 4)
    const player = new Player(made)
    void player.play(0, RATE_HZ * 4, false)
    await soon()
    expect(starts).toHaveLength(4)
    expect(starts[1]!.at - starts[0]!.at).toBeCloseTo(0.5, 9)
    player.stop()
  })

  it('tells where the ear is, and wraps when it repeats', async () => {
    const { made, context } = world(RATE_HZ * 10)
    const player = new Player(made)
    void player.play(RATE_HZ * 2, RATE_HZ * 4, true)
    await soon()
    context.currentTime = 0.03 + 2.5
    expect(player.position()! / RATE_HZ).toBeCloseTo(2.5, 3)
    player.stop()
    expect(player.position()).toBeNull()
  })

  it('says so when a chunk does not come', async () => {
    const { made, failed } = world(RATE_HZ * 10)
    made.fetchChunk = () => Promise.reject(new Error('gone'))
    const player = new Player(made)
    await player.play(0, RATE_HZ * 2, false)
    expect(failed).toHaveBeenCalledOnce()
    expect(player.playing).toBe(false)
  })

  it('goes on with something else at the same moment, without a gap', async () => {
    const { made, context, starts, stops, asked } = world(RATE_HZ * 60)
    const player = new Player(made)
    void player.play(RATE_HZ * 5, RATE_HZ * 60, false)
    await soon()
    context.currentTime = 0.03 + 2
    const before = starts.length
    void player.switchOver()
    await soon()
    const joined = starts[before]!
    // What is asked for is what the cut will have come to when it is heard.
    expect(asked[before]![0] / RATE_HZ).toBeCloseTo(5 + (joined.at - 0.03), 3)
    expect(joined.skipS).toBe(0)
    expect(stops[0]).toBeGreaterThan(joined.at)
    expect(stops[0]! - joined.at).toBeLessThan(0.05)
    context.currentTime = joined.at + 1
    expect(player.position()! / RATE_HZ).toBeCloseTo(5 + joined.at + 1 - 0.03, 3)
    player.stop()
  })

  it('joins in further on when the new sound comes late', async () => {
    const { made, context, starts } = world(RATE_HZ * 60)
    const player = new Player(made)
    void player.play(0, RATE_HZ * 60, false)
    await soon()
    context.currentTime = 1.03
    const before = starts.length
    const fetchChunk = made.fetchChunk
    made.fetchChunk = async (from, length, signal) => {
      context.currentTime += 0.5
      return fetchChunk(from, length, signal)
    }
    void player.switchOver()
    await soon()
    const joined = starts[before]!
    expect(joined.at).toBeGreaterThanOrEqual(1.53)
    expect(joined.skipS).toBeCloseTo(joined.at - (1.03 + 0.1), 3)
    player.stop()
  })

  it('stays with the cut when a later chunk comes late', async () => {
    const { made, context, starts } = world(RATE_HZ * 4)
    const player = new Player(made)
    const fetchChunk = made.fetchChunk
    made.fetchChunk = async (from, length, signal) => {
      if (from > 0) context.currentTime += 0.8
      return fetchChunk(from, length, signal)
    }
    void player.play(0, RATE_HZ * 4, false)
    await soon()
    expect(starts[1]!.at).toBeCloseTo(0.8, 6)
    expect(starts[1]!.skipS).toBeCloseTo(0.8 - (starts[0]!.at + 0.5), 6)
    player.stop()
  })
})
