import { describe, expect, it } from 'vitest'
import type { CloseUp } from '../shared/http'
import { CLOSE, layoutCloseUp } from './closeUp'

const view = {
  startS: -0.6,
  stepS: 0.1,
  leaving: [0.1, 0.2, 0.4, 0.8, 0.4, 0.2, 0.1, 0, 0, 0, 0, 0],
  entering: [0, 0, 0, 0, 0, 0, 0.4, 0.4, 0.2, 0.2, 0.1, 0.1],
  leavingBeatsS: [-0.5, 0],
  enteringBeatsS: [0, 0.5],
  fadeStartS: -0.042,
  fadeEndS: -0.012,
  gains: [
    [1, 0],
    [0.7, 0.7],
    [0, 1],
  ],
  levelStepS: 0.1,
  levelsDb: [-20, -14, -90, -14, -20, -16, -14, -18, -20, -22, -24, -200],
  jointDb: 0.2,
} as unknown as CloseUp

/** The points of a path. */
function points(path: string): [number, number][] {
  return [...path.matchAll(/[ML](-?[\d.]+) (-?[\d.]+)/g)].map((m) => [Number(m[1]), Number(m[2])])
}

describe('a splice close up', () => {
  const layout = layoutCloseUp(view, 600)

  it('lays both sides back to back on one scale', () => {
    const [up, down] = [points(layout.leaving), points(layout.entering)]
    // The loudest of both fills its half, the other keeps its proportion.
    expect(Math.min(...up.map((p) => p[1]))).toBeCloseTo(CLOSE.middle - CLOSE.half)
    expect(Math.max(...down.map((p) => p[1]))).toBeCloseTo(CLOSE.middle + CLOSE.half / 2)
    expect(up.every((p) => p[1] <= CLOSE.middle) && down.every((p) => p[1] >= CLOSE.middle)).toBe(true)
  })

  it('has time from left to right, the bar line where it is 0', () => {
    expect(layout.zero).toBeCloseTo(300)
    expect(layout.leavingBeats).toEqual([50, 300].map((x) => expect.closeTo(x)))
    expect(layout.enteringBeats).toEqual([300, 550].map((x) => expect.closeTo(x)))
    expect(layout.fadeX).toBeCloseTo(279)
    expect(layout.fadeWidth).toBeCloseTo(15)
  })

  it('shows the gains go from one side to the other within the crossfade', () => {
    const [out, into] = [points(layout.gainOut), points(layout.gainIn)]
    expect(out[0]).toEqual([279, expect.closeTo(CLOSE.middle - 0.9 * CLOSE.half, 1)])
    expect(out[2]).toEqual([294, CLOSE.middle])
    expect(into[0]).toEqual([279, CLOSE.middle])
    expect(into[2]?.[1]).toBeCloseTo(CLOSE.middle + 0.9 * CLOSE.half, 1)
  })

  it('keeps the level within its strip, silence at its foot', () => {
    const level = points(layout.level)
    expect(level).toHaveLength(view.levelsDb.length)
    expect(level[1]?.[1]).toBe(CLOSE.levelTop)
    expect([level[2]?.[1], level[11]?.[1]]).toEqual([CLOSE.levelBottom, CLOSE.levelBottom])
  })

  it('stands silence on both sides and a crossfade of one sample', () => {
    const zeros = view.leaving.map(() => 0)
    const silent = layoutCloseUp({ ...view, leaving: zeros, entering: zeros, fadeEndS: view.fadeStartS }, 600)
    expect(silent.leaving + silent.entering + silent.gainOut).not.toContain('NaN')
    expect(silent.fadeWidth).toBe(1)
  })
})
