/**
 * What a hand does to the levels is heard at once: what a layer would gain is added here to the mix that the server rendered.
 * As soon as the server has made the change, its own sound is heard again.
 */
import type { components } from '../../gen/api'
import { RATE_HZ } from './player'

/** What a layer gains: corners in samples of the cut, linear between them. */
export type Gained = components['schemas']['CurveView']

/** Adds to `mix`, which begins at sample `from` of the cut, what a layer gains; `layer` is as long as the mix. */
export function addGained(
  mix: readonly Float32Array[],
  layer: readonly Float32Array[],
  gained: Gained,
  from: number,
): void {
  const { atSamples, gains } = gained
  const length = mix[0]?.length ?? 0
  for (let corner = 0; corner + 1 < atSamples.length; corner++) {
    const [start, end] = [atSamples[corner]!, atSamples[corner + 1]!]
    const [before, slope] = [gains[corner]!, (gains[corner + 1]! - gains[corner]!) / (end - start)]
    if (before === 0 && slope === 0) continue
    const [first, last] = [Math.max(0, start - from), Math.min(length, end - from)]
    mix.forEach((out, channel) => {
      const own = layer[channel]!
      for (let k = first; k < last; k++) out[k]! += own[k]! * (before + slope * (from + k - start))
    })
  }
}

/** Sound is kept ready in pieces of this length, 4 s. */
const PIECE = 4 * RATE_HZ
/** So many pieces are kept. */
const MOST_PIECES = 48

/** What is kept ready of the mix and of layers, by the address that gives it. */
export class ReadySound {
  private readonly pieces = new Map<string, Promise<AudioBuffer>>()

  /** `fetch` gives samples of what lies at an address, `lengthSamples` tells where the cut is over. */
  constructor(
    private readonly fetch: (address: string, from: number, length: number) => Promise<AudioBuffer>,
    private readonly lengthSamples: () => number,
  ) {}

  private piece(address: string, index: number): Promise<AudioBuffer> {
    const key = `${address} ${index}`
    const known = this.pieces.get(key)
    if (known) return known
    const from = index * PIECE
    const made = this.fetch(address, from, Math.min(PIECE, this.lengthSamples() - from))
    this.pieces.set(key, made)
    made.catch(() => this.pieces.delete(key))
    const oldest = this.pieces.keys().next().value
    if (this.pieces.size > MOST_PIECES && oldest !== undefined) this.pieces.delete(oldest)
    return made
  }

  /** Has the pieces around a range made, without waiting for them. */
  keep(address: string, from: number, to: number): void {
    const end = Math.min(to, this.lengthSamples())
    // Where one does not come, it is asked for again when it is needed.
    for (let index = Math.floor(from / PIECE); index * PIECE < end; index++) this.piece(address, index).catch(() => {})
  }

  /** The two channels of a range, of one's own. */
  async read(address: string, from: number, length: number): Promise<Float32Array<ArrayBuffer>[]> {
    const planes = [new Float32Array(length), new Float32Array(length)]
    for (let at = from; at < from + length;) {
      const index = Math.floor(at / PIECE)
      const piece = await this.piece(address, index)
      const end = Math.min(from + length, (index + 1) * PIECE)
      planes.forEach((plane, channel) =>
        plane.set(piece.getChannelData(channel).subarray(at - index * PIECE, end - index * PIECE), at - from),
      )
      at = end
    }
    return planes
  }
}
