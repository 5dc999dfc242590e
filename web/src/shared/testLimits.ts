import type { Limits } from './limits'

/** What the server says of figures. */
export const testLimits: Limits = {
  underDb: { from: 0, to: 40 },
  bedAloneLufs: { from: -50, to: -10 },
  easeS: { from: 0, to: 10 },
  leastGapS: { from: 0, to: 60 },
  slopeS: { from: 0, to: 30 },
  byHandDb: { from: 0, to: 60 },
  byHandS: { from: 0, to: 60 },
  sweepDb: { from: -40, to: 20 },
  lowerDb: { from: 0, to: 60 },
  filmGainDb: { from: -60, to: 20 },
  tailS: { from: 0, to: 60 },
  fasterPercent: { from: -30, to: 30 },
  tempoBpm: { from: 20, to: 400 },
  leastRunBars: { from: 1, to: 32 },
  speedPercent: { from: 0, to: 2 },
  mostPlays: { from: 1, to: 100 },
  crossfadeMs: { from: 1, to: 2000 },
  handoverS: { from: 0, to: 20 },
  loudnessLufs: { from: -50, to: -5 },
}
