import type { BedReading } from '../drawing/bars'

/** Twenty bars of two seconds: A of 12, B of 8, where bar 13 sounds like bar 1. */
export function testReading(): BedReading {
  const lines = Array.from({ length: 21 }, (_, k) => 0.5 + 2 * k)
  return {
    tempoBpm: 120,
    metre: 4,
    barLinesS: lines,
    barLevelsDb: Array.from({ length: 20 }, (_, k) => (k < 12 ? -15 : 0)),
    barTempiBpm: Array.from({ length: 20 }, () => 120),
    repeats: Array.from({ length: 20 }, (_, k) => (k === 12 ? 1 : k + 1)),
    bars: [],
    phrases: [1, 9, 13],
    arcs: [{ startBar: 13, endBar: 13, motion: 'fillsOut', changeDb: 15 }],
    loops: [],
    singing: [{ startS: 4.5, endS: 8.5, likelihood: 0.9 }],
    secondOpinions: [],
    key: null,
    sections: [
      { label: 'A', name: null, startS: 0.5, endS: 24.5, startBar: 1, endBar: 12 },
      { label: 'B', name: 'the lift', startS: 24.5, endS: 40.5, startBar: 13, endBar: 20 },
    ],
    musicStartS: 0.5,
    ending: 'ownEnding',
    lastHitS: 38.6,
    musicEndS: 42,
    integratedLufs: -17,
    rangeLu: 6,
    truePeakDbtp: -1,
    clippedCount: 0,
    beatsSure: 'sure',
    barsSure: 'sure',
  }
}
