import { describe, expect, it } from 'vitest'
import type { FamilyCutView } from '../shared/http'
import { testCut } from '../shared/testCut'
import { layoutFamily } from './family'

const fitting = testCut().plan.fittings[0]!
const cut = {
  lengthS: 30,
  bedS: 60,
  sections: [
    { startS: 0, label: 'A' },
    { startS: 0.5, label: 'B' },
    { startS: 30, label: 'C' },
  ],
  fitting,
} as unknown as FamilyCutView

describe('one of several lengths', () => {
  it('is drawn at the scale of the longest, its bed as wide as that', () => {
    const half = layoutFamily(cut, 60, 600)
    expect([half.bedRight, half.cutRight]).toEqual([600, 300])
    expect(layoutFamily(cut, 30, 600).cutRight).toBe(600)
    // The first run is the first 12 s of the bed, at its own place; the splice lies at 12 s of the cut.
    expect(half.heard[0]).toEqual({ x: 0, width: 120 })
    expect(half.splices).toEqual([{ x: 120, width: 18, text: '96' }])
    expect(half.ribbons).toHaveLength(fitting.pieces.length)
  })

  it('drops letters that would lie on each other, and draws nothing of what is not fitted yet', () => {
    expect(layoutFamily(cut, 60, 600).letters.map((letter) => letter.text)).toEqual(['A', 'C'])
    const waiting = layoutFamily({ ...cut, fitting: null } as FamilyCutView, 60, 600)
    expect([waiting.ribbons, waiting.heard, waiting.splices]).toEqual([[], [], []])
  })
})
