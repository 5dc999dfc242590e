/** Thousandths of a unit, by its name. */
const SMALLER: Record<string, string> = { ms: 's', s: 'min' }
const SHARE: Record<string, number> = { ms: 1 / 1000, s: 1 / 60 }

/** A share of an amplitude in percent, as decibels. */
const decibelsOf = (percent: number) => Math.round(200 * Math.log10(percent / 100)) / 10
/** Decibels as a share of an amplitude: "10 %". */
export function percentOf(db: number): string {
  const share = 100 * 10 ** (db / 20)
  return `${share >= 9.95 ? share.toFixed(0) : share.toFixed(1)} %`
}

/** How a number of decibels is also said in percent: as a gain, or as how far something lies under something else. */
export type InPercent = 'gain' | 'under'

/**
 * A number as people type it, as a number that programs read: comma or point, any minus, with or without its unit
 * ("−12,5 dB"), in the next smaller or larger one ("500 ms" where seconds are asked for), or in percent where decibels are. What is no number stays as it is.
 */
export function typedNumber(text: string, unit = '', percent?: InPercent): string {
  const tidy = text.trim().replace(/[−–]/g, '-').replace(/\s+/g, ' ')
  const found = /^([+-]?\d*(?:[.,]\d*)?) ?([^\d]*)$/.exec(tidy)
  if (!found || !/\d/.test(found[1]!)) return tidy
  const number = found[1]!.replace(',', '.')
  const said = found[2]!.trim().toLowerCase()
  const wanted = unit.trim().toLowerCase()
  if (said === '%' && percent && Number(number) > 0) {
    const db = decibelsOf(Number(number))
    return String(percent === 'under' ? -db : db)
  }
  if (said === 'db' && percent) return number
  if (!said || !wanted || said === wanted) return number
  if (SMALLER[said] === wanted) return String(Number(number) * SHARE[said]!)
  if (SMALLER[wanted] === said) return String(Number(number) / SHARE[wanted]!)
  return tidy
}
