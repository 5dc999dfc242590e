import { keepPreviousData, QueryCache, QueryClient, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { Problem } from './http'
import { tell } from './tell'

/** A server that does not answer, or cannot just now, is asked so often again before that is told. */
const TRIES = 2
const mayComeBack = (cause: unknown) => cause instanceof Problem && ['no-answer', 'unavailable'].includes(cause.code)

/** Everything that was asked of the server and what it said. What is changed elsewhere comes by the cut's events. */
export const queries = new QueryClient({
  queryCache: new QueryCache({ onError: (cause, query) => query.meta?.toldBeside || tell(cause) }),
  defaultOptions: {
    queries: {
      networkMode: 'always',
      refetchOnWindowFocus: false,
      structuralSharing: false,
      retry: (failed, cause) => mayComeBack(cause) && failed < TRIES,
      retryDelay: 1000,
    },
  },
})

interface Manner<T> {
  /** It never changes: asked once. */
  isForEver?: boolean
  /** The last answer stays until the next is there, also where something else is asked. */
  staysUntilNext?: boolean
  /** Asked again so often, by what was said last; false is never. */
  everyMs?: (said: T | undefined) => number | false
  /** Trouble is told where it belongs, or the page does without. */
  toldBeside?: boolean
}

/** What the server says, shared by all who ask for the same `key`; null asks nothing. */
export function useAnswer<T>(
  key: () => readonly unknown[] | null,
  ask: (signal: AbortSignal) => Promise<T>,
  manner: Manner<T> = {},
) {
  const asked = computed(key)
  return useQuery(
    {
      queryKey: computed(() => asked.value ?? ['nothing']),
      queryFn: ({ signal }: { signal: AbortSignal }) => ask(signal),
      enabled: computed(() => asked.value !== null),
      staleTime: manner.isForEver ? Infinity : 0,
      placeholderData: manner.staysUntilNext ? keepPreviousData : undefined,
      refetchInterval: (query: { state: { data: T | undefined } }) => manner.everyMs?.(query.state.data) ?? false,
      meta: { toldBeside: manner.toldBeside ?? false },
      shallow: true,
    },
    queries,
  )
}
