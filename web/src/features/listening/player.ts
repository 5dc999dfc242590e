/**
 * Plays what the server renders: chunks of a revision are fetched ahead and put end to end on the
 * sound clock. There is no mixer here; what is heard is what is delivered.
 */

/** Everything the player needs from outside, so that it can be tested without a browser. */
export interface PlayerWorld {
  context: () => AudioContext
  fetchChunk: (fromSamples: number, lengthSamples: number, signal: AbortSignal) => Promise<ArrayBuffer>
  lengthSamples: () => number
  ended: () => void
  failed: (cause: unknown) => void
}

export const RATE_HZ = 48_000
/** The first chunk is short, so that sound starts soon after the key; the others are long. */
const FIRST_CHUNK = RATE_HZ
const CHUNK = 6 * RATE_HZ
/** Chunks are fetched while less than this is scheduled, in seconds. */
const AHEAD_S = 8

/** The chunks from `from` to `to`: a short one first. */
export function chunks(from: number, to: number): { from: number; length: number }[] {
  const all = []
  let at = from
  while (at < to) {
    const length = Math.min(at === from ? FIRST_CHUNK : CHUNK, to - at)
    all.push({ from: at, length })
    at += length
  }
  return all
}

export class Player {
  private run: {
    abort: AbortController
    startedAt: number
    from: number
    to: number
    repeat: boolean
    nodes: AudioBufferSourceNode[]
  } | null = null

  constructor(private readonly world: PlayerWorld) {}

  get playing(): boolean {
    return this.run !== null
  }

  /** Where the ear is, in samples of the cut; null while nothing plays. */
  position(): number | null {
    const run = this.run
    if (!run) return null
    const heard = Math.max(0, this.world.context().currentTime - run.startedAt) * RATE_HZ
    const length = run.to - run.from
    return run.from + (run.repeat ? heard % length : Math.min(heard, length))
  }

  /** Plays from `from` to `to` (samples), over and over with `repeat`. */
  async play(from: number, to: number, repeat: boolean): Promise<void> {
    this.stop()
    if (to - from < RATE_HZ / 20) return
    const context = this.world.context()
    await context.resume()
    const run = {
      abort: new AbortController(),
      startedAt: Number.POSITIVE_INFINITY,
      from,
      to,
      repeat,
      nodes: [] as AudioBufferSourceNode[],
    }
    this.run = run
    let at = 0
    try {
      do {
        for (const chunk of chunks(from, to)) {
          const bytes = await this.world.fetchChunk(chunk.from, chunk.length, run.abort.signal)
          const buffer = await context.decodeAudioData(bytes)
          if (this.run !== run) return
          if (!Number.isFinite(run.startedAt)) {
            run.startedAt = context.currentTime + 0.03
            at = run.startedAt
          }
          const node = context.createBufferSource()
          node.buffer = buffer
          node.connect(context.destination)
          node.start(at)
          run.nodes.push(node)
          // Kept in samples: a sum of rounded durations would drift over an hour.
          at += chunk.length / RATE_HZ
          while (this.run === run && at - context.currentTime > AHEAD_S) await wait(100)
          if (this.run !== run) return
        }
      } while (repeat)
      while (this.run === run && context.currentTime < at) await wait(50)
      if (this.run === run) {
        this.stop()
        this.world.ended()
      }
    } catch (cause) {
      if (this.run === run) {
        this.stop()
        this.world.failed(cause)
      }
    }
  }

  stop(): void {
    const run = this.run
    this.run = null
    run?.abort.abort()
    run?.nodes.forEach((node) => node.stop())
  }
}

function wait(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms))
}
