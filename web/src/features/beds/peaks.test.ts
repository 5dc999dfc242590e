import { describe, expect, it } from 'vitest'
import { wavOf } from '../voice/wav'
import { peakOf, peaksOf, wavFormat } from './peaks'

describe('the waveform of a file on its way', () => {
  it('is that of its samples, and grows while it is read', async () => {
    // A ramp: each tenth is louder than the one before.
    const samples = Float32Array.from({ length: 48_000 }, (_, n) => n / 48_000)
    const seen: number[][] = []
    await peaksOf(new File([wavOf([samples], 48_000)], 'ramp.wav'), 40, (peaks) => seen.push(peaks))
    expect(seen.map((peaks) => peaks.length)).toEqual([20, 40, 40])
    const last = seen.at(-1) ?? []
    last.forEach((peak, k) => expect(peak).toBeCloseTo((1200 * k + 1023) / 48_000, 3))
  })

  it('reads 16, 24 and 32 bits', () => {
    const format = (bytesPerSample: number, float = false) => ({ channels: 1, bytesPerSample, float, dataAt: 0 })
    const view = (write: (view: DataView) => void) => {
      const made = new DataView(new ArrayBuffer(4))
      write(made)
      return made
    }
    expect(peakOf(new DataView(view((v) => v.setInt16(0, -16384, true)).buffer, 0, 2), format(2))).toBe(0.5)
    const three = view((v) => [0, 0, 0xc0].forEach((byte, k) => v.setUint8(k, byte)))
    expect(peakOf(new DataView(three.buffer, 0, 3), format(3))).toBe(0.5)
    expect(
      peakOf(
        view((v) => v.setInt32(0, 1 << 30, true)),
        format(4),
      ),
    ).toBe(0.5)
    expect(
      peakOf(
        view((v) => v.setFloat32(0, -7, true)),
        format(4, true),
      ),
    ).toBe(1)
  })

  it('knows what it does not know', () => {
    expect(wavFormat(new DataView(new ArrayBuffer(0)))).toBeNull()
    expect(wavFormat(new DataView(new TextEncoder().encode('ID3 and so on'.repeat(9)).buffer))).toBeNull()
  })
})
