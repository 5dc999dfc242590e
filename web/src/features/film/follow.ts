/** What a playing film must do to stay with the sound. */
export type Step = { kind: 'leave' } | { kind: 'jump'; toS: number } | { kind: 'rate'; rate: number }

/** Further away than this the film jumps; nearer, it runs a little slower or faster. */
const JUMP_S = 0.25
/** The film may run this much slower or faster without anybody noticing. */
const MOST = 0.08

/**
 * Keeps a playing film at the time of the sound clock: `filmS` is where it is, `soundS` where it
 * should be.
 */
export function follow(filmS: number, soundS: number): Step {
  const ahead = filmS - soundS
  if (Math.abs(ahead) > JUMP_S) return { kind: 'jump', toS: soundS }
  if (Math.abs(ahead) < 0.004) return { kind: 'rate', rate: 1 }
  return { kind: 'rate', rate: 1 - Math.max(-MOST, Math.min(MOST, ahead * 2)) }
}

/** The time to show for a frame: its middle, where no rounding shows the one before. */
export function middleOf(frame: number, frameRate: number): number {
  return (frame + 0.5) / frameRate
}
