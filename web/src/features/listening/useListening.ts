import { useIntervalFn } from '@vueuse/core'
import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import type { Change, CutView } from '../../shared/http'
import { answer, fetchSound, server } from '../../shared/http'
import { addGained, ReadySound } from './byHand'
import { RATE_HZ } from './player'
import { usePlayer } from './usePlayer'

export type Hear = 'everything' | 'bed' | 'voice' | 'film'
/** A change of levels. */
export type LevelsSaid = Extract<Change, { about: 'levels' }>
type LayerView = CutView['plan']['layers'][number]

/** From the hand to the ear, in seconds, where all lies ready. */
const HAND_S = 0.03
/** What a hand may move is kept ready for so long ahead. */
const READY_S = 6

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

  /** An address for a range of samples. */
  function range(at: string, from: number, length: number): string {
    const samples = new URLSearchParams({ fromSamples: String(from), lengthSamples: String(length) })
    return `${at}${at.includes('?') ? '&' : '?'}${samples}`
  }
  /** Where the server gives what is to be heard. */
  function address(): string {
    const value = cut.value
    if (candidate.value) return `/api/cuts/${value?.id}/candidates/${candidate.value}/sound`
    const query = new URLSearchParams({ hear: hear.value })
    if (without.value.length) query.set('without', without.value.join(','))
    const plan = value?.plan
    const revision = before.value ? (plan?.parent ?? plan?.revision) : plan?.revision
    return `/api/cuts/${value?.id}/revisions/${revision}/sound?${query}`
  }
  const unshaped = (layer: number) =>
    `/api/cuts/${cut.value?.id}/revisions/${cut.value?.plan.revision}/sound?hear=everything&unshaped=${layer}`

  const { player, positionS, playing, soundClock, stop } = usePlayer({
    lengthSamples: () => cut.value?.plan.lengthSamples ?? 0,
    fetchChunk: async (from, length, signal) =>
      (await mixedByHand(from, length, signal)) ?? fetchSound(range(address(), from, length), signal),
    ended: () => (positionS.value = 0),
  })

  const sound = new ReadySound(
    async (at, from, length) =>
      soundClock().decodeAudioData(await fetchSound(range(at, from, length), AbortSignal.timeout(10_000))),
    () => cut.value?.plan.lengthSamples ?? 0,
  )
  /** What a hand is making of the levels, until the server has made it. */
  const hand = shallowRef<LevelsSaid | null>(null)
  /** The lane that is at hand besides the bed, by its name; null where nobody shapes. */
  const atHand = ref<string | null>(null)

  /** Whether a layer is heard as things are. */
  function isHeard({ lane }: LayerView): boolean {
    const name = !lane ? 'bed' : lane.of === 'film' ? 'film' : lane.sound
    return !without.value.includes(name) && (hear.value === 'everything' || hear.value === name)
  }

  /** The mix with what the hand adds to it; null where the server's own sound is to be heard. */
  async function mixedByHand(from: number, length: number, signal: AbortSignal): Promise<AudioBuffer | null> {
    const [said, value] = [hand.value, cut.value]
    if (!said || !value || candidate.value || before.value) return null
    try {
      const asked = server.POST('/api/cuts/{id}/curves', {
        params: { path: { id: value.id } },
        body: { revision: value.plan.revision, change: said, fromSamples: from, lengthSamples: length },
        signal,
      })
      const [gained, mix] = await Promise.all([answer(asked), sound.read(address(), from, length)])
      for (const one of gained) {
        const layer = value.plan.layers.find((all) => all.layer === one.layer)
        if (layer && isHeard(layer)) addGained(mix, await sound.read(unshaped(one.layer), from, length), one, from)
      }
      const buffer = soundClock().createBuffer(mix.length, length, RATE_HZ)
      mix.forEach((plane, channel) => buffer.copyToChannel(plane, channel))
      return buffer
    } catch {
      // What cannot be heard at once is heard when it has been made.
      return null
    }
  }

  let wanted: LevelsSaid | null = null
  let switching = false
  /** What a hand is making of the levels is heard at once; without anything, the plan as it is. */
  async function byHand(said: LevelsSaid | null) {
    wanted = said
    if (!playing.value) hand.value = null
    if (switching || !playing.value) return
    switching = true
    try {
      while (playing.value && hand.value !== wanted) {
        hand.value = wanted
        await player.switchOver(HAND_S)
      }
    } finally {
      switching = false
    }
  }

  /** Keeps ready what a hand may move from here on. */
  function keepReady() {
    const layers = cut.value?.plan.layers ?? []
    if (atHand.value === null || !playing.value || candidate.value || before.value) return
    const from = samples(positionS.value)
    const until = from + samples(READY_S)
    sound.keep(address(), from, until)
    for (const { layer, lane } of layers)
      if (!lane || JSON.stringify(lane) === atHand.value) sound.keep(unshaped(layer), from, until)
  }
  useIntervalFn(keepReady, 500)
  watch([atHand, playing, () => cut.value?.plan.revision, hear, without], keepReady)

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
    () => {
      before.value = false
      hand.value = null
      wanted = null
    },
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
    keepAtHand: (lane: string | null) => void (atHand.value = lane),
    byHand,
    tryCandidate,
  }
}

export type Listening = ReturnType<typeof useListening>
