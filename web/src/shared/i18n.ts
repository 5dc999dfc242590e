import { createI18n } from 'vue-i18n'
import en from '../../../words/en.json'
import type { components } from '../gen/api'

/** What is said of a cut: a code of the catalogue with its facts, or words from before there were codes. */
export type Message = components['schemas']['Message']
type Fact = components['schemas']['Fact']

/** The languages there are, a catalogue each; what one has not is said in English. */
export const i18n = createI18n({
  legacy: false,
  locale: 'en',
  fallbackLocale: 'en',
  fallbackWarn: false,
  missingWarn: false,
  messages: { en },
})
const { t, te, locale } = i18n.global

const SAMPLES_PER_S = 48_000

/** A figure as the language writes it. */
function figure(value: number, leastDecimals: number, mostDecimals: number): string {
  const manner = { minimumFractionDigits: leastDecimals, maximumFractionDigits: mostDecimals, useGrouping: false }
  return new Intl.NumberFormat(locale.value, manner).format(value)
}

/** Minutes, seconds and tenths: 1:05.3. */
function clock(samples: number): string {
  const tenths = Math.round((samples / SAMPLES_PER_S) * 10)
  const seconds = (tenths / 10) % 60
  return `${Math.floor(tenths / 600)}:${seconds < 10 ? '0' : ''}${figure(seconds, 1, 1)}`
}

function told(fact: Fact): string {
  if ('count' in fact) return figure(fact.count, 0, 0)
  if ('figure' in fact) return figure(fact.figure.value, 0, fact.figure.decimals)
  if ('seconds' in fact) return figure(fact.seconds / SAMPLES_PER_S, 1, 1)
  if ('clock' in fact) return clock(fact.clock)
  if ('name' in fact) return fact.name
  if ('message' in fact) return wordsOf(fact.message)
  if ('list' in fact) return fact.list.map(wordsOf).join(t('between.things'))
  return fact.clauses.map(wordsOf).join(t('between.clauses'))
}

/** The words of what is said. A code that no catalogue has, of a newer server perhaps, stands for itself. */
export function wordsOf(message: Message): string {
  if (typeof message === 'string') return message
  if (!te(message.code, 'en')) return message.code
  const facts = Object.entries(message.facts ?? {})
  const words = Object.fromEntries(facts.map(([name, fact]) => [name, told(fact)]))
  const n = message.facts?.n
  return n && 'count' in n ? t(message.code, words, n.count) : t(message.code, words)
}
