/** Seconds as people read them: 1:05 or, with tenths, 1:05.3. */
export function clock(seconds: number, tenths = false): string {
  const rounded = tenths ? Math.round(seconds * 10) / 10 : Math.round(seconds)
  const minutes = Math.floor(rounded / 60)
  const rest = rounded - minutes * 60
  const text = tenths ? rest.toFixed(1).padStart(4, '0') : String(rest).padStart(2, '0')
  return `${minutes}:${text}`
}

/** The seconds of a time as people type it: "1:05.3", "65" or "1,5"; none where it is no time. */
export function secondsTyped(text: string): number | null {
  const found = /^(?:(\d+):)?(\d+(?:[.,]\d*)?)$/.exec(text.trim())
  return found ? Number(found[1] ?? 0) * 60 + Number(found[2]!.replace(',', '.')) : null
}

/** A number of things: "1 splice", "2 splices". */
export function count(number: number, one: string, many = `${one}s`): string {
  return `${number} ${number === 1 ? one : many}`
}

/** Decibels with a true minus sign and at most one decimal. */
export function decibels(db: number): string {
  const text = Math.abs(db).toFixed(1).replace(/\.0$/, '')
  return `${db < 0 ? '−' : ''}${text}`
}

/** A file name without its ending. */
export function bare(name: string): string {
  return name.replace(/\.[A-Za-z0-9]{1,5}$/, '')
}

/** The sample of a moment, exact for moments that the server told. */
export const samples = (seconds: number) => Math.round(seconds * 48_000)
/** The moment of a sample. */
export const secondsOf = (atSamples: number) => atSamples / 48_000
