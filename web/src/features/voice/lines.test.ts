import { describe, expect, it } from 'vitest'
import { linesOf, textOf } from './lines'

describe('written lines', () => {
  it('come back as they were written', () => {
    const lines = [
      { atS: 6.2, words: 'For ninety years, it told the time.' },
      { atS: 71.8, words: '12 men and a ladder' },
    ]
    expect(linesOf(textOf(lines), 90)).toEqual(lines)
  })

  it('take minutes, seconds, commas, and nothing', () => {
    const text = '1:02,5  one\n\n   \n70 two\nno time at all\n3 wheels'
    expect(linesOf(text, 90)).toEqual([
      { atS: 62.5, words: 'one' },
      { atS: 70, words: 'two' },
      { atS: 73, words: 'no time at all' },
      { atS: 3, words: 'wheels' },
    ])
    expect(linesOf('first words', 90)).toEqual([{ atS: 0, words: 'first words' }])
    expect(linesOf('', 90)).toEqual([])
  })

  it('say which one lies behind the end', () => {
    expect(linesOf('0:01 here\n2:00 there', 90)).toBe(2)
  })
})
