/** Plays what it is given: chunks are fetched ahead and put end to end on the sound clock. */

/** Everything the player needs from outside, so that it can be tested without a browser. */
export interface PlayerWorld {
  context: () => AudioContext
  /** A file, or what lies ready to be played. */
  fetchChunk: (fromSamples: number, lengthSamples: number, signal: AbortSignal) => Promise<ArrayBuffer | AudioBuffer>
  lengthSamples: () => number
  ended: () => void
  failed: (cause: unknown) => void
}

export const RATE_HZ = 48_000
/**
 * The first chunk is short, so that sound starts soon after the key, and each further one at most
 * twice as long: where many begin at once, nobody's short chunk waits behind others' long ones.
 */
const FIRST_CHUNK = RATE_HZ / 2
const LONGEST_CHUNK = 6 * RATE_HZ
/** Chunks are fetched while less than this is scheduled, in seconds. */
const AHEAD_S = 8
/** From asking for something else to hearing it, in seconds: a first chunk that needs longer joins in late. */
const SWITCH_S = 0.1
/** The one fades into the other over this long, in seconds. */
const SWITCH_FADE_S = 0.02

/** The chunks from `from` to `to`: short ones first. */
export function chunks(from: number, to: number): { from: number; length: number }[] {
  const all = []
  let at = from
  let longest = FIRST_CHUNK
  while (at < to) {
    const length = Math.min(longest, to - at)
    all.push({ from: at, length })
    at += length
    longest = Math.min(2 * longest, LONGEST_CHUNK)
  }
  return all
}

interface Run {
  abort: AbortController
  /** Time of the sound clock at which `from` is, or would have been, heard. */
  startedAt: number
  from: number
  to: number
  repeat: boolean
  nodes: AudioBufferSourceNode[]
  gain: GainNode
  /** Called when its first chunk sounds, or never will. */
  begun: () => void
}

export class Player {
  private run: Run | null = null
  /** What sounds: another run than the wanted one, until that has its first chunk. */
  private heard: Run | null = null
  private volume = 1

  constructor(private readonly world: PlayerWorld) {}

  get playing(): boolean {
    return this.run !== null
  }

  /** Where the ear is, in samples of the cut; null while nothing is heard. */
  position(): number | null {
    return this.run ? this.positionOf(this.run, this.now()) : null
  }

  /** Time of the sound clock at which the range began; null until its first chunk is there. */
  startedAt(): number | null {
    return this.run && Number.isFinite(this.run.startedAt) ? this.run.startedAt : null
  }

  /** What leaves the loudspeaker now was scheduled this much earlier. */
  private now(): number {
    const context = this.world.context()
    return context.currentTime - (context.outputLatency || 0)
  }

  private positionOf(run: Run, time: number): number {
    const heard = Math.max(0, time - run.startedAt) * RATE_HZ
    const length = run.to - run.from
    return run.from + (run.repeat ? heard % length : Math.min(heard, length))
  }

  /** How loud it is, 0 to 1: for the phones while somebody records. */
  setVolume(volume: number): void {
    this.volume = volume
    if (this.run) this.run.gain.gain.value = volume
  }

  private begin(from: number, to: number, repeat: boolean): Run {
    const context = this.world.context()
    const gain = context.createGain()
    gain.gain.value = this.volume
    gain.connect(context.destination)
    const abort = new AbortController()
    return { abort, startedAt: Number.POSITIVE_INFINITY, from, to, repeat, nodes: [], gain, begun: () => {} }
  }

  /** Plays from `from` to `to` (samples), over and over with `repeat`. */
  async play(from: number, to: number, repeat: boolean): Promise<void> {
    this.stop()
    if (to - from < RATE_HZ / 20) return
    const run = this.begin(from, to, repeat)
    this.run = run
    await this.world.context().resume()
    await this.feed(run, from)
  }

  /**
   * Goes on with what `fetchChunk` gives now, at the same moment of the cut and without a gap: the old sound plays until the
   * new one is there, after `withinS` seconds where it comes in time. Done when it is heard.
   */
  async switchOver(withinS = SWITCH_S): Promise<void> {
    const old = this.run
    if (!old || !Number.isFinite(old.startedAt)) return
    const at = this.world.context().currentTime + withinS
    const begin = Math.round(this.positionOf(old, at))
    if (!old.repeat && begin >= old.to) return
    const run = this.begin(old.from, old.to, old.repeat)
    run.startedAt = at - (begin - old.from) / RATE_HZ
    this.run = run
    old.abort.abort()
    await new Promise<void>((begun) => {
      run.begun = begun
      void this.feed(run, begin)
    })
  }

  /** Schedules the chunks of a run from `begin` on; the first takes over from what sounds. */
  private async feed(run: Run, begin: number): Promise<void> {
    const context = this.world.context()
    let at = 0
    let first = true
    try {
      do {
        for (const chunk of chunks(first ? begin : run.from, run.to)) {
          const given = await this.world.fetchChunk(chunk.from, chunk.length, run.abort.signal)
          const buffer = given instanceof ArrayBuffer ? await context.decodeAudioData(given) : given
          if (this.run !== run) return
          const node = context.createBufferSource()
          node.buffer = buffer
          node.connect(run.gain)
          const old = this.heard
          if (first && old) {
            at = run.startedAt + (begin - run.from) / RATE_HZ
            const when = Math.max(at, context.currentTime + 0.01)
            node.start(when, when - at)
            fade(run.gain, when, 0, this.volume)
            fade(old.gain, when, this.volume, 0)
            old.nodes.forEach((playing) => playing.stop(when + SWITCH_FADE_S))
          } else {
            if (first) {
              run.startedAt = context.currentTime + 0.03
              at = run.startedAt
            }
            // What comes late joins in where the cut is by then.
            const when = Math.max(at, context.currentTime)
            node.start(when, when - at)
          }
          this.heard = run
          run.begun()
          first = false
          run.nodes.push(node)
          // Kept in samples: a sum of rounded durations would drift over an hour.
          at += chunk.length / RATE_HZ
          while (this.run === run && at - context.currentTime > AHEAD_S) await wait(100)
          if (this.run !== run) return
        }
      } while (run.repeat)
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
    } finally {
      run.begun()
    }
  }

  stop(): void {
    this.run?.abort.abort()
    silence(this.heard)
    this.run = null
    this.heard = null
  }
}

function silence(run: Run | null): void {
  run?.nodes.forEach((node) => node.stop())
}

function fade(gain: GainNode, when: number, from: number, to: number): void {
  gain.gain.setValueAtTime(from, when)
  gain.gain.linearRampToValueAtTime(to, when + SWITCH_FADE_S)
}

function wait(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms))
}
