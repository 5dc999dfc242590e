import { afterEach, describe, expect, it } from 'vitest'
import examples from '../../../words/examples.json'
import { i18n, wordsOf, type Message } from './i18n'

describe('words of what is said', () => {
  afterEach(() => void (i18n.global.locale.value = 'en'))

  it.each(examples.map((one) => [one.words, one.is as Message]))('%s', (words, is) => {
    // The core makes the same of them for files and the command line.
    expect(wordsOf(is)).toBe(words)
  })

  it('are those of another language where its file has them, and its figures', () => {
    const german = { levels: { underSpeech: 'das Bett {db} dB unter die Stimme legen' } }
    const { global } = i18n as unknown as { global: { setLocaleMessage(name: string, all: object): void } }
    global.setLocaleMessage('de', german)
    ;(i18n.global.locale as { value: string }).value = 'de'
    const laid: Message = { code: 'levels.underSpeech', facts: { db: { figure: { value: 12.5, decimals: 2 } } } }
    expect(wordsOf(laid)).toBe('das Bett 12,5 dB unter die Stimme legen')
    expect(wordsOf({ code: 'bed.useNone' })).toBe('use no bed')
  })
})
