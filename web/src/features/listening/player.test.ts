import { describe, expect, it, vi } from 'vitest'
import { chunks, Player, RATE_HZ, type PlayerWorld } from './player'

/** A sound clock that the test turns. */
function world(lengthSamples: number) {
  const starts: { at: number; samples: number }[] = []
  const asked: [number, number][] = []
  const context = {
    currentTime: 0,
    destination: {},
    resume: async () => {},
    decodeAudioData: async (bytes: ArrayBuffer) => ({ samples: bytes.byteLength }),
    createBufferSource: () => {
      const node = {
        buffer: null as unknown as { samples: number },
        connect: () => {},
        stop: () => {},
        start: (at: number) => starts.push({ at, samples: node.buffer.samples }),
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
  return { made, context, starts, asked, ended, failed }
}

const soon = () => new Promise((resolve) => setTimeout(resolve, 20))

describe('the player', () => {
  it('asks for a short chunk first and covers the range without a hole', () => {
    const all = chunks(1000, 1_000_000)
    expect(all[0]).toEqual({ from: 1000, length: RATE_HZ })
    expect(all.reduce((at, chunk) => (expect(chunk.from).toBe(at), at + chunk.length), 1000)).toBe(1_000_000)
    expect(chunks(5, 5)).toEqual([])
  })

  it('puts chunks end to end on the sound clock', async () => {
    const { made, starts } = world(RATE_HZ * 4)
    const player = new Player(made)
    void player.play(0, RATE_HZ * 4, false)
    await soon()
    expect(starts).toHaveLength(2)
    expect(starts[1]!.at - starts[0]!.at).toBeCloseTo(1, 9)
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
})
