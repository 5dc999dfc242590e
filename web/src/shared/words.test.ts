import { describe, expect, it } from 'vitest'
import { formOf, keyOf, rateOf } from '../features/cuts/rates'
import { problemOf, type CutView } from './http'
import { bare, clock, count, decibels } from './words'

describe('words', () => {
  it('writes times as people read them', () => {
    expect([clock(0), clock(65), clock(59.96, true), clock(3599.5)]).toEqual(['0:00', '1:05', '1:00.0', '60:00'])
    expect([count(1, 'splice'), count(2, 'splice')]).toEqual(['1 splice', '2 splices'])
    expect([decibels(-20), decibels(-7.25), decibels(3)]).toEqual(['−20', '−7.3', '3'])
    expect(bare('a.b.wav')).toBe('a.b')
  })

  it('keeps every rate through the form', () => {
    for (const key of ['24000/1001', '25/1', '30000/1001 df', '60000/1001']) {
      const asked = rateOf(key)
      expect(keyOf(asked)).toBe(key)
      const cut = { title: 't', lengthTimecode: '', rate: { ...asked, label: '' } } as unknown as CutView
      expect(formOf(cut).rate).toBe(key)
    }
  })

  it('has a problem for any answer', () => {
    expect(problemOf({ detail: 'Too long.', code: 'bad-value' }).message).toBe('Too long.')
    for (const body of [null, undefined, 'text', 3, {}]) expect(problemOf(body).message).toMatch(/did not answer/)
  })
})
