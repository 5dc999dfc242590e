import { until, useEventSource } from '@vueuse/core'
import { message } from 'ant-design-vue'
import { onMounted, ref, shallowRef, watch, type Ref } from 'vue'
import {
  answer,
  Problem,
  sendFile,
  server,
  type AskCut,
  type FilmSound,
  type CutView,
  type Kind,
  type MarkEdit,
  type Opinion,
  type Said,
  type Wish,
  type AmbienceChange,
  type LevelChange,
  type ShapeView,
  type VoiceEdit,
  type WaveformView,
} from '../../shared/http'

/** One cut, kept up to date by the server's events, with everything that can be done to it. */
export function useCut(id: Ref<string>) {
  const cut = shallowRef<CutView | null>(null)
  const problem = ref<string | null>(null)
  const busy = ref(false)
  /** Whether the database does not answer: what is said meanwhile is kept. */
  const away = ref(false)

  /** An event on its way must not put an answer back to what was before it. */
  function show(view: CutView) {
    if (!cut.value || cut.value.id !== view.id || view.asOf >= cut.value.asOf) cut.value = view
  }

  async function load() {
    try {
      cut.value = await answer(server.GET('/api/cuts/{id}', { params: { path: { id: id.value } } }))
      problem.value = null
    } catch (cause) {
      problem.value = cause instanceof Error ? cause.message : String(cause)
    }
  }
  onMounted(load)

  const { data } = useEventSource(() => `/api/cuts/${id.value}/events`, [], { autoReconnect: true })
  watch(data, (text) => {
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

  /** Does something that answers with the whole cut; tells what went wrong. */
  async function change(work: () => Promise<CutView>): Promise<boolean> {
    busy.value = true
    try {
      show(await kept(work))
      return true
    } catch (cause) {
      message.error(cause instanceof Error ? cause.message : String(cause), 6)
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
  function inTurn(work: () => Promise<CutView>): Promise<boolean> {
    const mine = turn.then(caughtUp).then(() => change(work))
    turn = mine
    return mine
  }

  const path = () => ({ path: { id: id.value } })
  const revision = () => cut.value?.plan.revision ?? 0

  return {
    cut,
    problem,
    busy,
    away,
    change,
    undo: () =>
      inTurn(() => answer(server.POST('/api/cuts/{id}/plan/undo', { params: path(), body: { revision: revision() } }))),
    redo: () =>
      inTurn(() => answer(server.POST('/api/cuts/{id}/plan/redo', { params: path(), body: { revision: revision() } }))),
    takeFitting: (index: number) =>
      inTurn(() =>
        answer(server.PUT('/api/cuts/{id}/plan/fitting', { params: path(), body: { revision: revision(), index } })),
      ),
    setLevel: (index: number, what: LevelChange) =>
      inTurn(() =>
        answer(
          server.PUT('/api/cuts/{id}/plan/levels/{index}', {
            params: { path: { id: id.value, index } },
            body: { also: [], ...what, revision: revision() },
          }),
        ),
      ),
    giveBack: (index: number) =>
      inTurn(() =>
        answer(
          server.DELETE('/api/cuts/{id}/plan/levels/{index}', {
            params: { path: { id: id.value, index } },
            body: { revision: revision() },
          }),
        ),
      ),
    emphasise: (phrase: number) =>
      inTurn(() =>
        answer(
          server.POST('/api/cuts/{id}/plan/emphasis', {
            params: path(),
            body: { revision: revision(), phrase },
          }),
        ),
      ),
    editVoice: (edit: VoiceEdit) =>
      inTurn(() =>
        answer(server.POST('/api/cuts/{id}/voice/edit', { params: path(), body: { revision: revision(), edit } })),
      ),
    setShape: (shape: ShapeView) =>
      inTurn(() =>
        answer(server.PUT('/api/cuts/{id}/shape', { params: path(), body: { revision: revision(), shape } })),
      ),
    changeAmbience: (index: number, what: AmbienceChange) =>
      inTurn(() =>
        answer(
          server.PUT('/api/cuts/{id}/ambiences/{index}', {
            params: { path: { id: id.value, index } },
            body: { ...what, revision: revision() },
          }),
        ),
      ),
    dropAmbience: (index: number) =>
      inTurn(() =>
        answer(
          server.DELETE('/api/cuts/{id}/ambiences/{index}', {
            params: { path: { id: id.value, index } },
            body: { revision: revision() },
          }),
        ),
      ),
    wish: (wish: Wish) =>
      inTurn(() =>
        answer(server.POST('/api/cuts/{id}/fit/wishes', { params: path(), body: { revision: revision(), wish } })),
      ),
    takeWishBack: (index: number) =>
      inTurn(() =>
        answer(
          server.DELETE('/api/cuts/{id}/fit/wishes/{index}', {
            params: { path: { id: id.value, index } },
            body: { revision: revision() },
          }),
        ),
      ),
    setLength: (lengthFrames: number) =>
      inTurn(() =>
        answer(
          server.PUT('/api/cuts/{id}/fit/length', { params: path(), body: { revision: revision(), lengthFrames } }),
        ),
      ),
    fitAgain: () =>
      inTurn(() => answer(server.POST('/api/cuts/{id}/fit/again', { params: path(), body: { revision: revision() } }))),
    holdStills: (lengthFrames: number) =>
      inTurn(() =>
        answer(
          server.POST('/api/cuts/{id}/fit/stills', { params: path(), body: { revision: revision(), lengthFrames } }),
        ),
      ),
    goOnWith: (soundHash: string, atS: number) =>
      inTurn(() =>
        answer(
          server.POST('/api/cuts/{id}/parts', {
            params: path(),
            body: { revision: revision(), soundHash, atS },
          }),
        ),
      ),
    takeToHand: (index: number) =>
      inTurn(() =>
        answer(
          server.PUT('/api/cuts/{id}/parts/{index}/hand', {
            params: { path: { id: id.value, index } },
            body: { revision: revision() },
          }),
        ),
      ),
    moveHandover: (index: number, atS: number, lengthS: number) =>
      inTurn(() =>
        answer(
          server.PUT('/api/cuts/{id}/parts/{index}/start', {
            params: { path: { id: id.value, index } },
            body: { revision: revision(), atS, lengthS },
          }),
        ),
      ),
    takeOff: (index: number) =>
      inTurn(() =>
        answer(
          server.DELETE('/api/cuts/{id}/parts/{index}', {
            params: { path: { id: id.value, index } },
            body: { revision: revision() },
          }),
        ),
      ),
    useBed: (soundHash: string) =>
      inTurn(() =>
        answer(server.PUT('/api/cuts/{id}/bed', { params: path(), body: { revision: revision(), soundHash } })),
      ),
    noBed: () =>
      inTurn(() => answer(server.DELETE('/api/cuts/{id}/bed', { params: path(), body: { revision: revision() } }))),
    addCandidate: (soundHash: string) =>
      change(() => answer(server.PUT('/api/cuts/{id}/candidates', { params: path(), body: { soundHash } }))),
    changeCandidate: (hash: string, what: { opinion?: Opinion; note?: string; kind?: Kind }) =>
      inTurn(() =>
        answer(
          server.PATCH('/api/cuts/{id}/candidates/{hash}', {
            params: { path: { id: id.value, hash } },
            body: { revision: revision(), ...what },
          }),
        ),
      ),
    dropCandidate: (hash: string) =>
      inTurn(() =>
        answer(
          server.DELETE('/api/cuts/{id}/candidates/{hash}', {
            params: { path: { id: id.value, hash } },
            body: { revision: revision() },
          }),
        ),
      ),
    takePiece: (piece: string, despiteObjection: boolean) =>
      change(() =>
        answer(
          server.POST('/api/cuts/{id}/shelf/{piece}', {
            params: { path: { id: id.value, piece } },
            body: { despiteObjection },
          }),
        ),
      ),
    correct: (said: Said) =>
      inTurn(() =>
        answer(server.POST('/api/cuts/{id}/bed/corrections', { params: path(), body: { revision: revision(), said } })),
      ),
    takeBack: (index: number) =>
      inTurn(() =>
        answer(
          server.DELETE('/api/cuts/{id}/bed/corrections/{index}', {
            params: { path: { id: id.value, index } },
            body: { revision: revision() },
          }),
        ),
      ),
    editMarks: (edit: MarkEdit) =>
      inTurn(() =>
        answer(server.POST('/api/cuts/{id}/picture/marks', { params: path(), body: { revision: revision(), edit } })),
      ),
    filmLength: () =>
      inTurn(() =>
        answer(server.PUT('/api/cuts/{id}/film/length', { params: path(), body: { revision: revision() } })),
      ),
    filmSound: (what: FilmSound) =>
      inTurn(() =>
        answer(server.PUT('/api/cuts/{id}/film/sound', { params: path(), body: { ...what, revision: revision() } })),
      ),
    filmHandover: (atS: number, toBed: boolean) =>
      inTurn(() =>
        answer(
          server.POST('/api/cuts/{id}/film/handover', {
            params: path(),
            body: { revision: revision(), atS, toBed },
          }),
        ),
      ),
    sweep: (startS: number, endS: number, byDb: number) =>
      inTurn(() =>
        answer(
          server.POST('/api/cuts/{id}/plan/sweeps', {
            params: path(),
            body: { revision: revision(), startS, endS, byDb },
          }),
        ),
      ),
    dropFilm: () =>
      inTurn(() => answer(server.DELETE('/api/cuts/{id}/film', { params: path(), body: { revision: revision() } }))),
    setLines: (lines: { atS: number; words: string }[]) =>
      inTurn(() =>
        answer(server.PUT('/api/cuts/{id}/lines', { params: path(), body: { revision: revision(), lines } })),
      ),
    speakLines: () => change(() => answer(server.POST('/api/cuts/{id}/scratch', { params: path() }))),
    useTake: (hash: string, phrase?: number) =>
      inTurn(() =>
        answer(
          server.PUT('/api/cuts/{id}/takes/{hash}/use', {
            params: { path: { id: id.value, hash } },
            body: { revision: revision(), phrase },
          }),
        ),
      ),
    cleanTake: (hash: string, on: boolean) =>
      inTurn(() =>
        answer(
          server.PUT('/api/cuts/{id}/takes/{hash}/clean', {
            params: { path: { id: id.value, hash } },
            body: { revision: revision(), on },
          }),
        ),
      ),
    dropTake: (hash: string) =>
      inTurn(() =>
        answer(
          server.DELETE('/api/cuts/{id}/takes/{hash}', {
            params: { path: { id: id.value, hash } },
            body: { revision: revision() },
          }),
        ),
      ),
    describe: (what: AskCut) =>
      inTurn(() => answer(server.PATCH('/api/cuts/{id}', { params: path(), body: { ...what, revision: revision() } }))),
    /** Sends a file with progress, to one of the cut's own addresses. */
    send: (place: string, file: File, progress: (share: number) => void) =>
      change(() => sendFile(`/api/cuts/${id.value}/${place}`, file, progress)),
    tryAgain: async (job: string) => {
      await answer(server.POST('/api/cuts/{id}/jobs/{job}/again', { params: { path: { id: id.value, job } } })).catch(
        (cause: Error) => message.error(cause.message),
      )
    },
    cancel: async (job: string) => {
      await answer(server.DELETE('/api/cuts/{id}/jobs/{job}', { params: { path: { id: id.value, job } } })).catch(
        (cause: Error) => message.error(cause.message),
      )
    },
  }
}

export type CutActions = ReturnType<typeof useCut>

/** The waveform at an address that never changes what it gives; null while there is none. */
export function useWaveform(address: () => string | null) {
  const waveform = shallowRef<WaveformView | null>(null)
  watch(
    address,
    async (url) => {
      if (!url) return (waveform.value = null)
      const reply = await globalThis.fetch(url).catch(() => null)
      // An older answer must not replace a newer one.
      if (reply?.ok && url === address()) waveform.value = (await reply.json()) as WaveformView
    },
    { immediate: true },
  )
  return waveform
}
