/**
 * The waveform of a file that is still on its way: read from the file itself, so that it is seen
 * before the server has it.
 */

/** What a WAV header says, when it is one of plain samples. */
export interface WavFormat {
  channels: number
  bytesPerSample: number
  float: boolean
  dataAt: number
}

/** The format of a WAV file from its first bytes; null for anything else. */
export function wavFormat(head: DataView): WavFormat | null {
  const text = (at: number) => String.fromCharCode(...[0, 1, 2, 3].map((k) => head.getUint8(at + k)))
  if (head.byteLength < 44 || text(0) !== 'RIFF' || text(8) !== 'WAVE') return null
  let format: Omit<WavFormat, 'dataAt'> | null = null
  for (let at = 12; at + 8 <= head.byteLength;) {
    const size = head.getUint32(at + 4, true)
    if (text(at) === 'fmt ' && at + 24 <= head.byteLength) {
      const bits = head.getUint16(at + 22, true)
      format = {
        channels: head.getUint16(at + 10, true),
        bytesPerSample: bits / 8,
        float: head.getUint16(at + 8, true) === 3,
      }
    }
    if (text(at) === 'data')
      return format && [2, 3, 4].includes(format.bytesPerSample) && format.channels > 0
        ? { ...format, dataAt: at + 8 }
        : null
    at += 8 + size + (size % 2)
  }
  return null
}

/** Highest absolute sample (0 to 1) of a block of whole frames. */
export function peakOf(block: DataView, format: WavFormat): number {
  let peak = 0
  for (let at = 0; at + format.bytesPerSample <= block.byteLength; at += format.bytesPerSample) {
    const value =
      format.bytesPerSample === 2
        ? block.getInt16(at, true) / 32768
        : format.bytesPerSample === 3
          ? (block.getUint16(at, true) + (block.getInt8(at + 2) << 16)) / 8388608
          : format.float
            ? block.getFloat32(at, true)
            : block.getInt32(at, true) / 2147483648
    peak = Math.max(peak, Math.abs(value))
  }
  return Math.min(1, peak)
}

/** Larger files than this are not decoded just to be drawn. */
const MOST_DECODED_BYTES = 60_000_000
/** Of each step of a WAV file this much is looked at. */
const LOOKED_AT_FRAMES = 1024

/** Calls `show` with the peaks so far, again and again until all `count` are there. */
export async function peaksOf(file: File, count: number, show: (peaks: number[]) => void): Promise<void> {
  const head = new DataView(await file.slice(0, 65_536).arrayBuffer())
  const format = wavFormat(head)
  const peaks: number[] = []
  if (format) {
    const frameBytes = format.channels * format.bytesPerSample
    const frames = Math.floor((file.size - format.dataAt) / frameBytes)
    for (let k = 0; k < count; k++) {
      const from = format.dataAt + Math.floor((frames * k) / count) * frameBytes
      const block = await file.slice(from, from + LOOKED_AT_FRAMES * frameBytes).arrayBuffer()
      peaks.push(peakOf(new DataView(block), format))
      if (k % 20 === 19) show([...peaks])
    }
  } else if (file.size <= MOST_DECODED_BYTES) {
    const decoded = await new OfflineAudioContext(1, 1, 24_000).decodeAudioData(await file.arrayBuffer())
    const samples = decoded.getChannelData(0)
    for (let k = 0; k < count; k++) {
      let peak = 0
      const [from, to] = [k, k + 1].map((n) => Math.floor((samples.length * n) / count)) as [number, number]
      for (let n = from; n < to; n++) peak = Math.max(peak, Math.abs(samples[n] ?? 0))
      peaks.push(Math.min(1, peak))
    }
  }
  if (peaks.length) show(peaks)
}
