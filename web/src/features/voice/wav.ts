/** Blocks of samples as a mono WAV file of 32-bit floats (Microsoft WAVE, format 3). */
export function wavOf(blocks: readonly Float32Array[], rateHz: number): Blob {
  const samples = blocks.reduce((sum, block) => sum + block.length, 0)
  const header = new DataView(new ArrayBuffer(44))
  const text = (at: number, letters: string) =>
    [...letters].forEach((letter, k) => header.setUint8(at + k, letter.charCodeAt(0)))
  text(0, 'RIFF')
  header.setUint32(4, 36 + samples * 4, true)
  text(8, 'WAVEfmt ')
  header.setUint32(16, 16, true)
  header.setUint16(20, 3, true)
  header.setUint16(22, 1, true)
  header.setUint32(24, rateHz, true)
  header.setUint32(28, rateHz * 4, true)
  header.setUint16(32, 4, true)
  header.setUint16(34, 32, true)
  text(36, 'data')
  header.setUint32(40, samples * 4, true)
  return new Blob([header.buffer, ...blocks.map((block) => block.slice().buffer)], { type: 'audio/wav' })
}

/** The blocks without their first `samples` samples. */
export function without(blocks: readonly Float32Array[], samples: number): Float32Array[] {
  let skip = samples
  return blocks.flatMap((block) => {
    const cut = Math.min(skip, block.length)
    skip -= cut
    return cut < block.length ? [block.subarray(cut)] : []
  })
}

/** Peak of a block in dBFS, -90 at least. */
export function peakDbfs(block: Float32Array): number {
  let peak = 0
  for (const sample of block) peak = Math.max(peak, Math.abs(sample))
  return Math.max(-90, 20 * Math.log10(peak || 1e-9))
}
