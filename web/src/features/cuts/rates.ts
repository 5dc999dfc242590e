import type { Description, CutView } from '../../shared/http'

/** The frame rates that pictures run at, as the server knows them. */
export const RATES = [
  { key: '24000/1001', label: '23.976' },
  { key: '24/1', label: '24' },
  { key: '25/1', label: '25' },
  { key: '30000/1001', label: '29.97 non-drop' },
  { key: '30000/1001 df', label: '29.97 drop-frame' },
  { key: '30/1', label: '30' },
  { key: '50/1', label: '50' },
  { key: '60000/1001', label: '59.94 non-drop' },
  { key: '60000/1001 df', label: '59.94 drop-frame' },
  { key: '60/1', label: '60' },
] as const

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

/** The rate behind a key of [RATES]. */
export function rateOf(key: string): { num: number; den: number; dropFrame: boolean } {
  const [fraction = '25/1', df] = key.split(' ')
  const [num = 25, den = 1] = fraction.split('/').map(Number)
  return { num, den, dropFrame: df === 'df' }
}

/** What the form shows of a cut. */
export function formOf(cut: CutView): CutFormValue {
  const { num, den, dropFrame } = cut.rate
  return {
    title: cut.title,
    length: cut.lengthTimecode,
    rate: `${num}/${den}${dropFrame ? ' df' : ''}`,
    firstTimecode: cut.firstTimecode,
    commercial: cut.commercial,
    paidPlan: cut.paidPlan,
  }
}
