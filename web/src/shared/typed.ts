/** Thousandths of a unit, by its name. */
const SMALLER: Record<string, string> = { ms: 's', s: 'min' }
const SHARE: Record<string, number> = { ms: 1 / 1000, s: 1 / 60 }

/**
 * A number as people type it, as a number that programs read: comma or point, any minus, with or without its unit
 * ("−12,5 dB"), or in the next smaller or larger one ("500 ms" where seconds are asked for). What is no number stays as it is.
 */
export function typedNumber(text: string, unit = ''): string {
  const tidy = text.trim().replace(/[−–]/g, '-').replace(/\s+/g, ' ')
  const found = /^([+-]?\d*(?:[.,]\d*)?) ?([^\d]*)$/.exec(tidy)
  if (!found || !/\d/.test(found[1]!)) return tidy
  const number = found[1]!.replace(',', '.')
  const said = found[2]!.trim().toLowerCase()
  const wanted = unit.trim().toLowerCase()
  if (!said || !wanted || said === wanted) return number
  if (SMALLER[said] === wanted) return String(Number(number) * SHARE[said]!)
  if (SMALLER[wanted] === said) return String(Number(number) / SHARE[wanted]!)
  return tidy
}
