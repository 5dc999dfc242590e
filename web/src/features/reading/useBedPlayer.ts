import { ref, watch } from 'vue'
import type { CutView } from '../../shared/http'
import { fetchSound } from '../../shared/http'
import { RATE_HZ } from '../listening/player'
import { usePlayer } from '../listening/usePlayer'

/** Hears the bed as it came, from any bar, with a tick on every beat where that is wanted. */
export function useBedPlayer(cut: () => CutView) {
  const counting = ref(false)
  const lengthS = () => cut().bed?.lengthS ?? 0

  const { player, positionS, playing, stop } = usePlayer({
    lengthSamples: () => Math.round(lengthS() * RATE_HZ),
    fetchChunk: (from, length, signal) => {
      const query = new URLSearchParams({
        fromSamples: String(from),
        lengthSamples: String(length),
        count: String(counting.value),
      })
      return fetchSound(`/api/cuts/${cut().id}/bed/sound?${query}`, signal)
    },
  })

  async function playFrom(seconds: number) {
    const end = lengthS()
    if (end <= 0) return
    positionS.value = Math.min(Math.max(0, seconds), Math.max(0, end - 0.1))
    playing.value = true
    await player.play(Math.round(positionS.value * RATE_HZ), Math.round(end * RATE_HZ), false)
  }

  /** Plays a passage over and over: whether it loops is for the ear to say. */
  async function repeat(fromS: number, toS: number) {
    positionS.value = fromS
    playing.value = true
    await player.play(Math.round(fromS * RATE_HZ), Math.round(toS * RATE_HZ), true)
  }

  function seek(seconds: number) {
    if (playing.value) void playFrom(seconds)
    else positionS.value = Math.min(Math.max(0, seconds), lengthS())
  }

  function toggle() {
    if (playing.value) stop()
    else void playFrom(positionS.value >= lengthS() - 0.2 ? 0 : positionS.value)
  }

  // Another grid is heard at once, at the same moment.
  watch([counting, () => cut().bed?.reading?.barLinesS.join(), () => cut().bed?.reading?.tempoBpm], () => {
    if (playing.value) void player.switchOver()
  })
  watch(() => cut().bed?.hash, stop)

  return {
    positionS,
    playing,
    counting,
    playFrom,
    repeat,
    stop,
    seek,
    toggle,
    /** Where the ear is now, not when the picture was last drawn. */
    nowS: () => (player.position() ?? positionS.value * RATE_HZ) / RATE_HZ,
  }
}

export type BedPlayer = ReturnType<typeof useBedPlayer>
