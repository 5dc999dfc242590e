import { until, useDocumentVisibility, useEventListener, useEventSource } from '@vueuse/core'
import { useQueries } from '@tanstack/vue-query'
import { Modal } from 'ant-design-vue'
import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import type { components } from '../../gen/api'
import {
  answer,
  answerAt,
  Problem,
  sendFile,
  server,
  type Change,
  type CutView,
  type WaveformView,
} from '../../shared/http'
import { queries, useAnswer } from '../../shared/query'
import { tell } from '../../shared/tell'

/** This window, for the others who look at the same cut. */
export const WINDOW = crypto.randomUUID?.() ?? '00000000-0000-4000-8000-000000000000'
export type HereView = components['schemas']['HereView']

/** One cut, kept up to date by the server's events, with everything that can be done to it. */
export function useCut(id: Ref<string>) {
  const busy = ref(false)
  /** Whether the database does not answer: what is said meanwhile is kept. */
  const away = ref(false)

  /** An event on its way must not put an answer back to what was before it. */
  const later = (view: CutView, shown?: CutView) => (!shown || view.asOf >= shown.asOf ? view : shown)
  const keyOf = (of: string) => ['cut', of]
  const shown = () => queries.getQueryData<CutView>(keyOf(id.value))
  const {
    data,
    error,
    refetch: load,
  } = useAnswer(
    () => keyOf(id.value),
    async (signal) => {
      const view = await answer(server.GET('/api/cuts/{id}', { params: { path: { id: id.value } }, signal }))
      return later(view as CutView, queries.getQueryData(keyOf(view.id)))
    },
    { toldBeside: true },
  )
  const cut = computed(() => data.value ?? null)
  const problem = computed(() => error.value?.message ?? null)
  const show = (view: CutView) => queries.setQueryData<CutView>(keyOf(view.id), (before) => later(view, before))

  /** Who else looks at it. */
  const others = shallowRef<HereView[]>([])
  const {
    data: told,
    open,
    close,
    eventSource,
  } = useEventSource(() => `/api/cuts/${id.value}/events?window=${WINDOW}`, [], {
    autoReconnect: true,
  })
  watch(
    eventSource,
    (source) => {
      source?.addEventListener('jobs', ({ data }: MessageEvent<string>) => {
        const { jobs, asOf } = JSON.parse(data) as components['schemas']['JobsView']
        const now = shown()
        if (now) show({ ...now, jobs, asOf })
      })
      source?.addEventListener('here', ({ data }: MessageEvent<string>) => {
        others.value = JSON.parse(data) as HereView[]
      })
    },
    { immediate: true },
  )
  // A browser has six connections to a server, for all its windows together: what is not seen holds none of them.
  function listen() {
    open()
    void load()
  }
  useEventListener(window, 'pagehide', close)
  useEventListener(window, 'pageshow', (event) => event.persisted && listen())
  watch(useDocumentVisibility(), (now) => (now === 'hidden' ? close() : listen()))
  watch(told, (text) => {
    if (text) show(JSON.parse(text) as CutView)
  })

  /** What was said while the database was away is kept, and sent again until it is back. */
  const AGAIN_MS = 2000
  async function kept<T>(work: () => Promise<T>): Promise<T> {
    for (;;) {
      try {
        const done = await work()
        away.value = false
        return done
      } catch (cause) {
        away.value = cause instanceof Problem && cause.code === 'unavailable'
        if (!away.value) throw cause
      }
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS))
    }
  }

  /** Does something that changes the cut, and shows what became of it; tells what went wrong. */
  async function change(work: () => Promise<unknown>): Promise<boolean> {
    busy.value = true
    try {
      await kept(work)
      await load()
      return true
    } catch (cause) {
      tell(cause)
      if (cause instanceof Problem && cause.code === 'stale') await load()
      return false
    } finally {
      busy.value = false
    }
  }

  /** Done when the plan has caught up with the changes so far; sooner where that takes too long. */
  const LONGEST_WAIT_MS = 10_000
  const caughtUp = () =>
    until(() => !cut.value?.jobs.some((job) => job.follows && job.state !== 'failed')).toBe(true, {
      timeout: LONGEST_WAIT_MS,
    })

  /**
   * A change of what is shown: one after the other, each on top of what the one before it made.
   * A key pressed while the plan still follows the last one would otherwise be refused as late.
   */
  let turn: Promise<unknown> = Promise.resolve()
  function inTurn(work: () => Promise<unknown>): Promise<boolean> {
    const mine = turn.then(caughtUp).then(() => change(work))
    turn = mine
    return mine
  }

  const path = () => ({ path: { id: id.value } })
  const revision = () => cut.value?.plan.revision ?? 0
  async function undo(whoever: boolean): Promise<unknown> {
    try {
      const body = { revision: revision(), whoever }
      return await answer(server.POST('/api/cuts/{id}/undo', { params: path(), body }))
    } catch (cause) {
      if (!(cause instanceof Problem && cause.code === 'of-another')) throw cause
      const meant = await new Promise<boolean>((decided) => {
        Modal.confirm({
          title: 'Somebody else changed it after you',
          content: cause.message,
          okText: 'Undo it all the same',
          cancelText: 'Leave it',
          onOk: () => decided(true),
          onCancel: () => decided(false),
        })
      })
      return meant ? undo(true) : undefined
    }
  }

  return {
    cut,
    others,
    problem,
    busy,
    away,
    /** Says something about the cut. */
    say: (said: Change) =>
      inTurn(() =>
        answer(server.POST('/api/cuts/{id}/changes', { params: path(), body: { revision: revision(), change: said } })),
      ),
    /** Takes the last change back; one of somebody else only after a question. */
    undo: () => inTurn(() => undo(false)),
    redo: () =>
      inTurn(() => answer(server.POST('/api/cuts/{id}/redo', { params: path(), body: { revision: revision() } }))),
    /** Adds a bed that another cut brought in. */
    addCandidate: (soundHash: string) =>
      change(() => answer(server.PUT('/api/cuts/{id}/candidates', { params: path(), body: { soundHash } }))),
    takePiece: (piece: string, despiteObjection: boolean) =>
      change(() =>
        answer(
          server.POST('/api/cuts/{id}/shelf/{piece}', {
            params: { path: { id: id.value, piece } },
            body: { despiteObjection },
          }),
        ),
      ),
    /** Sends a file with progress, to one of the cut's own addresses. */
    send: (place: string, file: File, progress: (share: number) => void) =>
      change(() => sendFile(`/api/cuts/${id.value}/${place}`, file, progress)),
    tryAgain: async (job: string) => {
      await answer(server.POST('/api/cuts/{id}/jobs/{job}/again', { params: { path: { id: id.value, job } } })).catch(
        tell,
      )
    },
    cancel: async (job: string) => {
      await answer(server.DELETE('/api/cuts/{id}/jobs/{job}', { params: { path: { id: id.value, job } } })).catch(tell)
    },
  }
}

export type CutActions = ReturnType<typeof useCut>

const FOR_EVER = { isForEver: true, toldBeside: true }

/** The waveform at an address that never changes what it gives; null while there is none. */
export function useWaveform(address: () => string | null) {
  const { data } = useAnswer(
    () => (address() ? [address()] : null),
    (signal) => answerAt<WaveformView>(address()!, signal),
    FOR_EVER,
  )
  return computed(() => data.value ?? null)
}

/** Waveforms of takes by their hash, as they come; without one the words stand alone. */
export function useVoices(cut: () => string, takes: () => readonly string[]) {
  const hashes = computed(() => [...new Set(takes())])
  const answers = useQueries(
    {
      queries: computed(() =>
        hashes.value.map((hash) => {
          const url = `/api/cuts/${cut()}/sounds/${hash}/waveform`
          return {
            queryKey: [url],
            queryFn: ({ signal }: { signal: AbortSignal }) => answerAt<WaveformView>(url, signal),
            staleTime: Infinity,
            meta: { toldBeside: true },
          }
        }),
      ),
      shallow: true,
    },
    queries,
  )
  return computed(() => {
    const voices: Record<string, WaveformView> = {}
    hashes.value.forEach((hash, at) => {
      const waveform = answers.value[at]?.data
      if (waveform) voices[hash] = waveform
    })
    return voices
  })
}
