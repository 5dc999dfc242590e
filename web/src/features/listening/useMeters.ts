import { computed } from 'vue'
import { answerAt, type CutView, type MetersView } from '../../shared/http'
import { useAnswer } from '../../shared/query'

/** What is measured of a cut's plan; the last one stays until the next is there. */
export function useMeters(cut: () => CutView | null) {
  const address = () => {
    const now = cut()
    return now?.plan.fittings?.length ? `/api/cuts/${now.id}/revisions/${now.plan.revision}/meters` : null
  }
  const manner = { isForEver: true, staysUntilNext: true, toldBeside: true }
  const { data } = useAnswer(
    () => (address() ? [address()] : null),
    (signal) => answerAt<MetersView>(address()!, signal),
    manner,
  )
  return computed(() => (address() ? (data.value ?? null) : null))
}
