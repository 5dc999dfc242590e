import { clock } from '../../shared/words'

export interface Line {
  atS: number
  words: string
}

/** Written lines as text: a time, then the words. */
export function textOf(lines: readonly Line[]): string {
  return lines.map((line) => `${clock(line.atS, true)}  ${line.words}`).join('\n')
}

/** A line without a time comes this long after the one before, in seconds. */
const NEXT_S = 3

/** The lines of a text, or the number (from 1) of the first one that lies behind the end. */
export function linesOf(text: string, lengthS: number): Line[] | number {
  let at = 0
  const lines: Line[] = []
  for (const [k, row] of text.split('\n').entries()) {
    if (!row.trim()) continue
    const match = /^\s*(?:(\d+):)?(\d+(?:[.,]\d+)?)\s+(.*\S)\s*$/.exec(row)
    at = match ? Number(match[1] ?? 0) * 60 + Number(match[2]?.replace(',', '.')) : at + (lines.length ? NEXT_S : 0)
    if (at >= lengthS) return k + 1
    lines.push({ atS: at, words: match ? (match[3] ?? '') : row.trim() })
  }
  return lines
}
