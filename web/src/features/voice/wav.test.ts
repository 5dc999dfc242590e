import { describe, expect, it } from 'vitest'
import { peakDbfs, wavOf, without } from './wav'

describe('a recording as a file', () => {
  it('has the header that WAVE asks for, and every sample', async () => {
    const blocks = [Float32Array.of(0.5, -0.25), Float32Array.of(1)]
    const bytes = new DataView(await wavOf(blocks, 48_000).arrayBuffer())
    const text = (at: number, length: number) =>
      String.fromCharCode(...Array.from({ length }, (_, k) => bytes.getUint8(at + k)))
    expect([text(0, 4), text(8, 4), text(36, 4)]).toEqual(['RIFF', 'WAVE', 'data'])
    expect(bytes.byteLength).toBe(44 + 12)
    expect(bytes.getUint32(4, true)).toBe(bytes.byteLength - 8)
    expect([bytes.getUint16(20, true), bytes.getUint32(24, true), bytes.getUint16(34, true)]).toEqual([3, 48_000, 32])
    expect([44, 48, 52].map((at) => bytes.getFloat32(at, true))).toEqual([0.5, -0.25, 1])
  })

  it('can lose its beginning, however the blocks are cut', () => {
    const blocks = [Float32Array.of(1, 2, 3), Float32Array.of(4, 5)]
    for (let skip = 0; skip <= 5; skip++) {
      const left = without(blocks, skip).flatMap((block) => [...block])
      expect(left).toEqual([1, 2, 3, 4, 5].slice(skip))
    }
  })

  it('shows full scale as 0 dBFS', () => {
    expect(peakDbfs(Float32Array.of(0.1, -1))).toBe(0)
    expect(peakDbfs(Float32Array.of(0))).toBe(-90)
  })
})
