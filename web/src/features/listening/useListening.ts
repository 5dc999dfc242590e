import { useRafFn } from '@vueuse/core'
import { message } from 'ant-design-vue'
import { onScopeDispose, ref, watch, type Ref } from 'vue'
import type { CutView } from '../../shared/http'
import { problemOf } from '../../shared/http'
import { Player, RATE_HZ } from './player'

export type Hear = 'everything' | 'bed' | 'voice'

/** Playing a cut: position, passage, what to hear. */
export function useListening(cut: Ref<CutView | null>) {
  const positionS = ref(0)
  const playing = ref(false)
  const repeating = ref(false)
  const passage = ref<{ fromS: number; toS: number } | null>(null)
  const hear = ref<Hear>('everything')
  let context: AudioContext | null = null

  const player = new Player({
    context: () => (context ??= new AudioContext({ sampleRate: RATE_HZ, latencyHint: 'interactive' })),
    lengthSamples: () => cut.value?.plan?.lengthSamples ?? 0,
    fetchChunk: async (from, length, signal) => {
      const value = cut.value
      const query = new URLSearchParams({ fromSamples: String(from), lengthSamples: String(length), hear: hear.value })
      const answer = await globalThis.fetch(
        `/api/cuts/${value?.id}/revisions/${value?.plan?.revision}/sound?${query}`,
        { signal },
      )
      if (!answer.ok) throw problemOf(await answer.json().catch(() => null))
      return answer.arrayBuffer()
    },
    ended: () => {
      playing.value = false
      positionS.value = 0
    },
    failed: (cause) => {
      playing.value = false
      message.error(cause instanceof Error ? cause.message : 'The sound did not arrive. Try again.')
    },
  })

  useRafFn(() => {
    const at = player.position()
    if (at !== null) positionS.value = at / RATE_HZ
  })

  function listenTo(what: Hear) {
    hear.value = what
  }

  const samples = (seconds: number) => Math.round(seconds * RATE_HZ)

  function play() {
    const length = cut.value?.plan?.lengthSamples ?? 0
    if (length === 0) return
    playing.value = true
    const chosen = repeating.value ? passage.value : null
    if (chosen) void player.play(samples(chosen.fromS), Math.min(length, samples(chosen.toS)), true)
    else
      void player.play(
        samples(positionS.value) >= length - 4800 ? 0 : samples(positionS.value),
        length,
        repeating.value,
      )
  }

  function stop() {
    const at = player.position()
    if (at !== null) positionS.value = at / RATE_HZ
    player.stop()
    playing.value = false
  }

  /** Goes to a time, and goes on playing from there if it played. */
  function seek(seconds: number) {
    repeating.value = false
    positionS.value = seconds
    if (playing.value) play()
  }

  function toggle() {
    if (playing.value) stop()
    else play()
  }

  /** Repeats the marked passage; without one, four seconds to either side of here. */
  function toggleRepeat() {
    repeating.value = !repeating.value
    if (repeating.value && !passage.value) {
      const length = cut.value?.lengthS ?? 0
      passage.value = { fromS: Math.max(0, positionS.value - 4), toS: Math.min(length, positionS.value + 4) }
    }
    if (playing.value) play()
  }

  /** Plays a passage over and over. */
  function repeatPassage(fromS: number, toS: number) {
    passage.value = { fromS: Math.max(0, fromS), toS }
    repeating.value = true
    play()
  }

  // Another plan or another thing to hear: go on from the same place.
  watch([() => cut.value?.plan?.revision, hear], () => {
    const length = cut.value?.lengthS ?? 0
    if (positionS.value > length) positionS.value = 0
    if (passage.value && passage.value.toS > length) passage.value = null
    if (!playing.value) return
    stop()
    play()
  })

  onScopeDispose(() => {
    player.stop()
    void context?.close()
  })

  return {
    positionS,
    playing,
    repeating,
    passage,
    hear,
    play,
    stop,
    seek,
    toggle,
    toggleRepeat,
    repeatPassage,
    listenTo,
  }
}

export type Listening = ReturnType<typeof useListening>
