import { computed, ref } from 'vue'
import { ENOUGH, PAUSE_S, tapped, tappedBpm } from './taps'
import type { useBedPlayer } from './useBedPlayer'

/** Tapping along with a bed: taps count once they pause, in seconds of the bed. */
export function useTaps(player: ReturnType<typeof useBedPlayer>, take: (tapsS: number[]) => void) {
  const taps = ref<number[]>([])
  let settle: ReturnType<typeof setTimeout> | undefined

  function tap() {
    if (!player.playing.value) {
      taps.value = []
      return void player.playFrom(player.positionS.value)
    }
    taps.value = tapped(taps.value, player.nowS())
    clearTimeout(settle)
    settle = setTimeout(() => {
      if (taps.value.length >= ENOUGH) take(taps.value)
      taps.value = []
    }, PAUSE_S * 1000)
  }

  return { tap, count: computed(() => taps.value.length), bpm: computed(() => tappedBpm(taps.value)) }
}
