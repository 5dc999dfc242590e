import { computed } from 'vue'
import { answer, server, type CutView, type Description } from '../../shared/http'
import { useAnswer } from '../../shared/query'

type Rate = Description['rate']

/** The frame rates that a cut may have, for a list to choose from. */
export function useRates() {
  const { data } = useAnswer(
    () => ['rates'],
    (signal) => answer(server.GET('/api/rates', { signal })),
    { isForEver: true },
  )
  return computed(() => (data.value ?? []).map((rate) => ({ value: keyOf(rate), label: rate.label })))
}

export interface CutFormValue {
  title: string
  length: string
  rate: string
  firstTimecode: string
  commercial: boolean
  paidPlan: boolean
}

/** A form with nothing in it. */
export const emptyForm = (): CutFormValue => ({
  title: '',
  length: '',
  rate: '25/1',
  firstTimecode: '',
  commercial: false,
  paidPlan: false,
})

/** What the server is asked for. */
export function askOf(value: CutFormValue): Description {
  const { title, length, rate, firstTimecode, commercial, paidPlan } = value
  return { title, length, rate: rateOf(rate), firstTimecode: firstTimecode || null, commercial, paidPlan }
}

/** A rate as the value of a list. */
export const keyOf = ({ num, den, dropFrame }: Rate) => `${num}/${den}${dropFrame ? ' df' : ''}`

/** The rate behind a key of [keyOf]. */
export function rateOf(key: string): Rate {
  const [fraction = '25/1', df] = key.split(' ')
  const [num = 25, den = 1] = fraction.split('/').map(Number)
  return { num, den, dropFrame: df === 'df' }
}

/** What the form shows of a cut. */
export function formOf(cut: CutView): CutFormValue {
  return {
    title: cut.title,
    length: cut.lengthTimecode,
    rate: keyOf(cut.rate),
    firstTimecode: cut.firstTimecode,
    commercial: cut.commercial,
    paidPlan: cut.paidPlan,
  }
}
