import { useEventSource } from '@vueuse/core'
import { message } from 'ant-design-vue'
import { onMounted, ref, shallowRef, watch, type Ref } from 'vue'
import { answer, Problem, server, type CutView, type WaveformView } from '../../shared/http'

/** One cut, kept up to date by the server's events, with everything that can be done to it. */
export function useCut(id: Ref<string>) {
  const cut = shallowRef<CutView | null>(null)
  const problem = ref<string | null>(null)
  const busy = ref(false)

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
    if (text) cut.value = JSON.parse(text) as CutView
  })

  /** Does something that answers with the whole cut; tells what went wrong. */
  async function change(work: () => Promise<CutView>): Promise<boolean> {
    busy.value = true
    try {
      cut.value = await work()
      return true
    } catch (cause) {
      message.error(cause instanceof Error ? cause.message : String(cause), 6)
      if (cause instanceof Problem && cause.code === 'stale') await load()
      return false
    } finally {
      busy.value = false
    }
  }

  const path = () => ({ path: { id: id.value } })
  const revision = () => cut.value?.plan?.revision ?? 0

  return {
    cut,
    problem,
    busy,
    change,
    undo: () =>
      change(() => answer(server.POST('/api/cuts/{id}/plan/undo', { params: path(), body: { revision: revision() } }))),
    redo: () =>
      change(() => answer(server.POST('/api/cuts/{id}/plan/redo', { params: path(), body: { revision: revision() } }))),
    takeFitting: (index: number) =>
      change(() =>
        answer(server.PUT('/api/cuts/{id}/plan/fitting', { params: path(), body: { revision: revision(), index } })),
      ),
    setLevel: (index: number, underSpeechDb: number) =>
      change(() =>
        answer(
          server.PUT('/api/cuts/{id}/plan/levels/{index}', {
            params: { path: { id: id.value, index } },
            body: { revision: revision(), underSpeechDb },
          }),
        ),
      ),
    takeBed: (soundHash: string) =>
      change(() => answer(server.PUT('/api/cuts/{id}/bed', { params: path(), body: { soundHash } }))),
    describe: (body: { title: string; length: string; rate: { num: number; den: number; dropFrame: boolean } }) =>
      change(() => answer(server.PATCH('/api/cuts/{id}', { params: path(), body }))),
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
