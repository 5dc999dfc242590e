import type { BedReading } from '../../drawing/bars'
import { decibels } from '../../shared/words'

/** How a bed ends. */
export const ENDINGS = {
  ownEnding: 'its own last hit',
  fadesOut: 'fades out',
  stopsDead: 'stops while loud',
}

/** How loud a bed is. */
export function loudnessWords(reading: BedReading | null): string {
  const { integratedLufs, rangeLu, truePeakDbtp } = reading ?? {}
  if (integratedLufs == null) return 'silent'
  const range = rangeLu ? `, range ${rangeLu.toFixed(0)} LU` : ''
  const peak = truePeakDbtp == null ? '' : `, peak ${decibels(truePeakDbtp)} dBTP`
  return `${decibels(integratedLufs)} LUFS${range}${peak}`
}

/** What a bar sounds like. */
export function barWords(bar: BedReading['bars'][number] | undefined): string | null {
  if (!bar) return null
  const hz = bar.brightnessHz
  const bright = hz >= 1000 ? `${(hz / 1000).toFixed(1)} kHz` : `${Math.round(hz)} Hz`
  return `${bar.notes || 'no clear notes'}; ${bar.attacksPerS.toFixed(1)} attacks a second; brightness ${bright}`
}
