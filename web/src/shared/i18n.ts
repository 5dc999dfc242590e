import { createI18n } from 'vue-i18n'
import en from '../../../words/en.json'
import type { components } from '../gen/api'
import { clock, secondsOf } from './words'

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
const { t, locale } = i18n.global

/** Whether the catalogue itself has words for a code, also where a stranger's file says it. */
function isKnown(code: string): boolean {
  const within = (at: unknown, part: string): unknown =>
    at instanceof Object && Object.hasOwn(at, part) ? (at as Record<string, unknown>)[part] : undefined
  return typeof code.split('.').reduce(within, en) === 'string'
}

/** A figure as the language writes it. */
function figure(value: number, leastDecimals: number, mostDecimals: number): string {
  const manner = { minimumFractionDigits: leastDecimals, maximumFractionDigits: mostDecimals, useGrouping: false }
  return new Intl.NumberFormat(locale.value, manner).format(value)
}

function told(fact: Fact): string {
  if ('count' in fact) return figure(fact.count, 0, 0)
  // No figure of ours has more, a stranger's file may say anything.
  if ('figure' in fact) return figure(fact.figure.value, 0, Math.min(fact.figure.decimals, 9))
  if ('seconds' in fact) return figure(secondsOf(fact.seconds), 1, 1)
  if ('clock' in fact) return clock(secondsOf(fact.clock), true)
  if ('name' in fact) return fact.name
  if ('message' in fact) return wordsOf(fact.message)
  if ('list' in fact) return fact.list.map(wordsOf).join(t('between.things'))
  return fact.clauses.map(wordsOf).join(t('between.clauses'))
}

/** The words of what is said. A code that no catalogue has, of a newer server perhaps, stands for itself. */
export function wordsOf(message: Message): string {
  if (typeof message === 'string') return message
  if (!isKnown(message.code)) return message.code
  const facts = Object.entries(message.facts ?? {})
  const words = Object.fromEntries(facts.map(([name, fact]) => [name, told(fact)]))
  const n = message.facts?.n
  return n && 'count' in n ? t(message.code, words, n.count) : t(message.code, words)
}
