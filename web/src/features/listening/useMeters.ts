import { shallowRef, watch } from 'vue'
import type { CutView, MetersView } from '../../shared/http'

/** What was measured of the last revisions: whoever shows it shares one answer. */
const measured = new Map<string, Promise<MetersView | null>>()
const KEPT = 8

function fetched(url: string): Promise<MetersView | null> {
  const known = measured.get(url)
  if (known) return known
  const asked = globalThis
    .fetch(url)
    .then((reply) => (reply.ok ? (reply.json() as Promise<MetersView>) : null))
    .catch(() => null)
  measured.set(url, asked)
  // What failed is asked again.
  void asked.then((meters) => meters ?? measured.delete(url))
  for (const old of [...measured.keys()].slice(0, -KEPT)) measured.delete(old)
  return asked
}

/** What is measured of a cut's plan; the last one stays until the next is there. */
export function useMeters(cut: () => CutView | null) {
  const meters = shallowRef<MetersView | null>(null)
  const address = () => {
    const now = cut()
    return now?.plan.fittings?.length ? `/api/cuts/${now.id}/revisions/${now.plan.revision}/meters` : null
  }
  watch(
    address,
    async (url) => {
      if (!url) return (meters.value = null)
      const reply = await fetched(url)
      if (reply && url === address()) meters.value = reply
    },
    { immediate: true },
  )
  return meters
}
