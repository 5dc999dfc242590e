import type { components } from '../gen/api'
import { answer, server } from './http'
import { useAnswer } from './query'

export type Limits = components['schemas']['Limits']

/** What the figures of a cut may be, as the server holds them to it. */
export function useLimits(wanted: () => boolean) {
  const { data } = useAnswer(
    () => (wanted() ? ['limits'] : null),
    (signal) => answer(server.GET('/api/limits', { signal })),
    { isForEver: true },
  )
  return data
}
