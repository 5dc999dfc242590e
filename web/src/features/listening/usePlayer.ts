import { useRafFn } from '@vueuse/core'
import { onScopeDispose, ref } from 'vue'
import { tell } from '../../shared/tell'
import { Player, RATE_HZ, type PlayerWorld } from './player'

/** A player of a component's own: where it is, whether it plays, and its end with the component. */
export function usePlayer(world: Pick<PlayerWorld, 'lengthSamples' | 'fetchChunk'> & { ended?: () => void }) {
  const positionS = ref(0)
  const playing = ref(false)
  let context: AudioContext | null = null
  // Browsers want a gesture before they give a sound clock: it is made when something is played.
  const soundClock = () => (context ??= new AudioContext({ sampleRate: RATE_HZ, latencyHint: 'interactive' }))

  const player = new Player({
    ...world,
    context: soundClock,
    ended: () => {
      playing.value = false
      world.ended?.()
    },
    failed: (cause) => {
      playing.value = false
      tell(cause instanceof Error ? cause : 'The sound did not arrive. Try again.')
    },
  })

  function follow() {
    const at = player.position()
    if (at !== null) positionS.value = at / RATE_HZ
  }
  useRafFn(follow)

  /** Stops where it is. */
  function stop() {
    follow()
    player.stop()
    playing.value = false
  }

  onScopeDispose(() => {
    player.stop()
    void context?.close()
  })

  return { player, positionS, playing, soundClock, stop }
}
