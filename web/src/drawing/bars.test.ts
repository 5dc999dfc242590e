import { describe, expect, it } from 'vitest'
import { testReading as reading } from '../shared/testReading'
import { barAt, barRows, tempoPath } from './bars'

describe('the page of bars', () => {
  const rows = barRows(reading())

  it('has a phrase a row, and sections begin a row', () => {
    expect(rows.map((row) => row.cells.map((cell) => cell.bar)).map((bars) => [bars[0], bars.length])).toEqual([
      [1, 8],
      [9, 4],
      [13, 8],
    ])
    expect(rows.map((row) => row.begins)).toEqual([true, false, true])
  })

  it('says of each bar what is heard in it', () => {
    const cells = rows.flatMap((row) => row.cells)
    expect(cells[0]).toMatchObject({ firstSound: true, like: null, fill: 0.5, sung: false })
    expect(cells.filter((cell) => cell.sung).map((cell) => cell.bar)).toEqual([3, 4])
    expect(cells[12]).toMatchObject({ like: 1, fill: 1 })
    expect(cells[12]?.label).toBe(
      'bar 13, section the lift, 0:24.5, 0 dB under the loudest, sounds like bar 1, fills out',
    )
    expect(cells.filter((cell) => cell.lastHit).map((cell) => cell.bar)).toEqual([20])
  })

  it('finds the bar of a time, and the nearest outside of all', () => {
    expect([-1, 0.5, 2.49, 2.51, 40.4, 99].map((s) => barAt(reading(), s))).toEqual([1, 1, 1, 2, 20, 20])
  })

  it('draws an even tempo level and a quicker one higher', () => {
    const x = (s: number) => s * 10
    expect(tempoPath(reading(), x, 0, 20)).toMatch(/^M5.0 10.0H25.0(L[\d.]+ 10.0H[\d.]+)+$/)
    const quicker = { ...reading(), barTempiBpm: Array.from({ length: 20 }, (_, k) => (k ? 126 : 120)) }
    expect(tempoPath(quicker, x, 0, 20)).toContain('L25.0 5.0H45.0')
  })
})
