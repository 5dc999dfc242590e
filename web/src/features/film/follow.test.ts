import { describe, expect, it } from 'vitest'
import { follow, middleOf } from './follow'

describe('a film that follows the sound', () => {
  it('ends within a hundredth of a second, wherever it began', () => {
    for (const start of [-3, -0.2, -0.05, 0.04, 0.2, 5]) {
      let [film, sound] = [10 + start, 10]
      for (let k = 0; k < 240; k++) {
        const step = follow(film, sound)
        if (step.kind === 'jump') film = step.toS
        film += (step.kind === 'rate' ? step.rate : 1) / 60
        sound += 1 / 60
      }
      expect(Math.abs(film - sound)).toBeLessThan(0.01)
    }
  })

  it('never runs faster than anybody would notice', () => {
    for (let ahead = -0.25; ahead <= 0.25; ahead += 0.01) {
      const step = follow(1 + ahead, 1)
      if (step.kind === 'rate') expect(Math.abs(step.rate - 1)).toBeLessThanOrEqual(0.0801)
    }
  })

  it('shows the middle of a frame', () => {
    expect(middleOf(0, 25)).toBeCloseTo(0.02)
    expect(Math.floor(middleOf(29, 30000 / 1001) * (30000 / 1001))).toBe(29)
  })
})
