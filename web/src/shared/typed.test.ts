import { describe, expect, it } from 'vitest'
import { typedNumber } from './typed'

describe('a typed number', () => {
  it.each([
    ['12,5', 'dB', '12.5'],
    ['12.5', 'dB', '12.5'],
    ['−12 dB', 'dB', '-12'],
    ['–3', '', '-3'],
    [' 1,5 s ', 's', '1.5'],
    ['500 ms', 's', '0.5'],
    ['0,25s', 'ms', '250'],
    ['90 s', 'min', '1.5'],
    ['2', 's', '2'],
    ['-', 'dB', '-'],
    ['1.2.3', 'dB', '1.2.3'],
    ['loud', 'dB', 'loud'],
    ['3 Hz', 'dB', '3 Hz'],
    ['', 'dB', ''],
  ])('%s in %s is %s', (text, unit, number) => {
    expect(typedNumber(text, unit)).toBe(number)
  })
})
