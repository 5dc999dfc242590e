/** One splice close up: two waveforms back to back, the crossfade, the level. Pure geometry; SpliceCloseUp.vue draws it. */
import { scaleLinear } from 'd3-scale'
import type { CloseUp } from '../shared/http'

export const CLOSE = { height: 190, middle: 74, half: 66, levelTop: 152, levelBottom: 174 } as const
/** Levels this far under the loudest have no height left. */
const RANGE_DB = 24

export interface CloseUpLayout {
  leaving: string
  entering: string
  leavingBeats: number[]
  enteringBeats: number[]
  fadeX: number
  fadeWidth: number
  gainOut: string
  gainIn: string
  level: string
  zero: number
}

export function layoutCloseUp(view: CloseUp, width: number): CloseUpLayout {
  const endS = view.startS + view.stepS * view.leaving.length
  const x = scaleLinear([view.startS, endS], [0, width])
  const top = Math.max(1e-4, ...view.leaving, ...view.entering)
  const half = (peaks: readonly number[], sign: number) =>
    `M0 ${CLOSE.middle}` +
    peaks
      .map(
        (peak, k) =>
          `L${x(view.startS + k * view.stepS).toFixed(1)} ${(CLOSE.middle + (sign * CLOSE.half * peak) / top).toFixed(1)}`,
      )
      .join('') +
    `L${width} ${CLOSE.middle}Z`
  const [fadeX, fadeEnd] = [x(view.fadeStartS), x(view.fadeEndS)]
  const gain = (side: 0 | 1, sign: number) =>
    view.gains
      .map((pair, k) => {
        const at = fadeX + ((fadeEnd - fadeX) * k) / (view.gains.length - 1)
        return `${k ? 'L' : 'M'}${at.toFixed(1)} ${(CLOSE.middle + sign * 0.9 * CLOSE.half * (pair[side] ?? 0)).toFixed(1)}`
      })
      .join('')
  const loudest = Math.max(...view.levelsDb)
  const y = scaleLinear([loudest, loudest - RANGE_DB], [CLOSE.levelTop, CLOSE.levelBottom]).clamp(true)
  return {
    leaving: half(view.leaving, -1),
    entering: half(view.entering, 1),
    leavingBeats: view.leavingBeatsS.map((s) => x(s)),
    enteringBeats: view.enteringBeatsS.map((s) => x(s)),
    fadeX,
    fadeWidth: Math.max(1, fadeEnd - fadeX),
    gainOut: gain(0, -1),
    gainIn: gain(1, 1),
    level: view.levelsDb
      .map((db, k) => `${k ? 'L' : 'M'}${x(view.startS + (k + 0.5) * view.levelStepS).toFixed(1)} ${y(db).toFixed(1)}`)
      .join(''),
    zero: x(0),
  }
}
