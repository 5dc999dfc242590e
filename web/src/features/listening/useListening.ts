import { computed, ref, watch, type Ref } from 'vue'
import type { CutView } from '../../shared/http'
import { fetchSound } from '../../shared/http'
import { RATE_HZ } from './player'
import { usePlayer } from './usePlayer'

export type Hear = 'everything' | 'bed' | 'voice' | 'film'

/** Playing a cut: position, passage, what to hear, and which candidate stands in for the bed. */
export function useListening(cut: Ref<CutView | null>) {
  const repeating = ref(false)
  const passage = ref<{ fromS: number; toS: number } | null>(null)
  const hear = ref<Hear>('everything')
  /** Hash of the candidate that is tried as the bed; null hears the plan. */
  const candidate = ref<string | null>(null)
  /** Layers that are not heard: `bed`, `voice`, `film` or the hash of an ambience. */
  const without = ref<readonly string[]>([])
  /** Hears the plan as it was before the last change. */
  const before = ref(false)

  const { player, positionS, playing, soundClock, stop } = usePlayer({
    lengthSamples: () => cut.value?.plan.lengthSamples ?? 0,
    fetchChunk: (from, length, signal) => {
      const value = cut.value
      const query = new URLSearchParams({ fromSamples: String(from), lengthSamples: String(length) })
      if (!candidate.value) {
        query.set('hear', hear.value)
        if (without.value.length) query.set('without', without.value.join(','))
      }
      const plan = value?.plan
      const revision = before.value ? (plan?.parent ?? plan?.revision) : plan?.revision
      const place = candidate.value ? `candidates/${candidate.value}` : `revisions/${revision}`
      return fetchSound(`/api/cuts/${value?.id}/${place}/sound?${query}`, signal)
    },
    ended: () => (positionS.value = 0),
  })

  function listenTo(what: Hear) {
    candidate.value = null
    hear.value = what
  }

  const samples = (seconds: number) => Math.round(seconds * RATE_HZ)

  async function play() {
    const length = cut.value?.plan.lengthSamples ?? 0
    if (length === 0) return
    playing.value = true
    const chosen = repeating.value ? passage.value : null
    if (chosen) await player.play(samples(chosen.fromS), Math.min(length, samples(chosen.toS)), true)
    else
      await player.play(
        samples(positionS.value) >= length - 4800 ? 0 : samples(positionS.value),
        length,
        repeating.value,
      )
  }

  /** Goes to a time, and goes on playing from there if it played. */
  function seek(seconds: number) {
    repeating.value = false
    positionS.value = Math.min(Math.max(0, seconds), cut.value?.lengthS ?? 0)
    if (playing.value) void play()
  }

  const frameRate = computed(() => (cut.value ? cut.value.rate.num / cut.value.rate.den : 25))
  /** The picture that is seen now. A hair is added: the start of a frame is that frame. */
  const frame = computed(() =>
    Math.min((cut.value?.lengthFrames ?? 1) - 1, Math.floor(positionS.value * frameRate.value + 1e-3)),
  )

  /** Steps by whole pictures; what plays stops, as one looks at a picture. */
  function step(frames: number) {
    const target = frame.value + frames
    stop()
    seek(target / frameRate.value)
  }

  function toggle() {
    if (playing.value) stop()
    else void play()
  }

  /** Repeats the marked passage; without one, four seconds to either side of here. */
  function toggleRepeat() {
    repeating.value = !repeating.value
    if (repeating.value && !passage.value) {
      const length = cut.value?.lengthS ?? 0
      passage.value = { fromS: Math.max(0, positionS.value - 4), toS: Math.min(length, positionS.value + 4) }
    }
    if (playing.value) void play()
  }

  /** Hears the plan before the last change, or as it is. */
  function toggleBefore() {
    before.value = !before.value
  }

  /** Plays a passage over and over. */
  function repeatPassage(fromS: number, toS: number) {
    passage.value = { fromS: Math.max(0, fromS), toS }
    repeating.value = true
    void play()
  }

  /** Takes a layer out of what is heard, or back in. */
  function mute(layer: string) {
    const now = without.value
    without.value = now.includes(layer) ? now.filter((one) => one !== layer) : [...now, layer]
  }
  /** Hears one layer alone; again, all of them. */
  function only(layer: string, all: readonly string[]) {
    const others = all.filter((one) => one !== layer)
    const alone = without.value.length === others.length && !without.value.includes(layer)
    without.value = alone ? [] : others
  }

  /** Hears a candidate in the cut, at the same moment when something plays already. */
  function tryCandidate(hash: string | null) {
    candidate.value = hash
    if (hash && !playing.value) void play()
  }

  // Another length: start anew within it. Another plan, thing or candidate: the same moment goes on.
  watch(
    () => cut.value?.plan.lengthSamples,
    () => {
      const length = cut.value?.lengthS ?? 0
      if (positionS.value > length) positionS.value = 0
      if (passage.value && passage.value.toS > length) passage.value = null
      if (playing.value) {
        stop()
        void play()
      }
    },
  )
  // What is before a change is another thing after the next one.
  watch(
    () => cut.value?.plan.revision,
    () => (before.value = false),
    { flush: 'sync' },
  )
  watch([() => cut.value?.plan.revision, hear, candidate, before, without], ([, , to], [, , from]) => {
    // A candidate's sound does not hang on the plan's revision.
    if (playing.value && !(to && to === from)) void player.switchOver()
  })

  return {
    positionS,
    frame,
    frameRate,
    playing,
    repeating,
    passage,
    hear,
    candidate,
    before,
    without,
    mute,
    only,
    soundClock,
    startedAt: () => player.startedAt(),
    setVolume: (volume: number) => player.setVolume(volume),
    play,
    stop,
    seek,
    step,
    toggle,
    toggleRepeat,
    toggleBefore,
    repeatPassage,
    listenTo,
    tryCandidate,
  }
}

export type Listening = ReturnType<typeof useListening>
