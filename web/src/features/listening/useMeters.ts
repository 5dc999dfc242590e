import { shallowRef, watch } from 'vue'
import type { CutView, MetersView } from '../../shared/http'

/** What is measured of a cut's plan; the last one stays until the next is there. */
export function useMeters(cut: () => CutView) {
  const meters = shallowRef<MetersView | null>(null)
  const address = () => {
    const { id, plan } = cut()
    return plan.fittings?.length ? `/api/cuts/${id}/revisions/${plan.revision}/meters` : null
  }
  watch(
    address,
    async (url) => {
      if (!url) return (meters.value = null)
      const reply = await globalThis.fetch(url).catch(() => null)
      if (reply?.ok && url === address()) meters.value = (await reply.json()) as MetersView
    },
    { immediate: true },
  )
  return meters
}
