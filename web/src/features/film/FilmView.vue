<script setup lang="ts">
import { useRafFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { CutView } from '../../shared/http'
import type { Listening } from '../listening/useListening'
import { follow, middleOf } from './follow'

/** The film, in step with the sound; without one, the name of the shot stands in. */
const props = defineProps<{ cut: CutView; listening: Listening }>()

const video = ref<HTMLVideoElement>()
const broken = ref(false)
/** How far the last shown picture was from the sound, in ms: for tests, and for whoever doubts. */
const offMs = ref<number | null>(null)
/** The same in whole frames: the shown one against the one that belongs to the sound. */
const offFrames = ref<number | null>(null)
const source = computed(() => (props.cut.film ? `/api/cuts/${props.cut.id}/film/${props.cut.film.hash}` : null))
const shot = computed(() => [...props.cut.shots].reverse().find((s) => s.frame <= props.listening.frame.value) ?? null)
watch(source, () => (broken.value = false))

const { positionS, playing, frame, frameRate } = props.listening

useRafFn(() => {
  const film = video.value
  if (!film || film.readyState < 1) return
  if (!playing.value || props.listening.startedAt() === null) {
    if (!film.paused) film.pause()
    const wanted = middleOf(frame.value, frameRate.value)
    if (!film.seeking && Math.abs(film.currentTime - wanted) > 0.4 / frameRate.value) film.currentTime = wanted
    return
  }
  if (positionS.value >= film.duration) {
    film.pause()
    return
  }
  if (film.paused) {
    film.currentTime = positionS.value
    void film.play().catch(() => undefined)
    return
  }
  if (film.seeking) return
  const step = follow(film.currentTime, positionS.value)
  if (step.kind === 'jump') film.currentTime = step.toS
  else if (step.kind === 'rate' && film.playbackRate !== step.rate) film.playbackRate = step.rate
})

function watchPictures() {
  const film = video.value
  if (!film?.requestVideoFrameCallback) return
  film.requestVideoFrameCallback((now, shown) => {
    // Where the sound will be when this picture is on the screen.
    const soundS = positionS.value + Math.max(0, shown.expectedDisplayTime - now) / 1000
    const runs = playing.value && !film.paused
    offMs.value = runs ? Math.round((shown.mediaTime - soundS) * 1000) : null
    const rate = frameRate.value
    offFrames.value = runs ? Math.round(shown.mediaTime * rate) - Math.floor(soundS * rate + 1e-3) : null
    watchPictures()
  })
}
watch(video, watchPictures)
</script>

<template>
  <div
    class="film"
    :style="{ aspectRatio: cut.film?.aspect ?? 16 / 9 }"
    data-test="film"
    :data-off-ms="offMs ?? ''"
    :data-off-frames="offFrames ?? ''"
    :data-time-s="video?.currentTime ?? ''"
  >
    <video
      v-if="source && !broken"
      ref="video"
      :src="source"
      muted
      playsinline
      preload="auto"
      disablepictureinpicture
      tabindex="-1"
      :aria-label="`The film: ${shot?.name ?? cut.title}`"
      @error="broken = true"
    ></video>
    <div v-else class="stand-in">
      <span class="name">{{ shot?.name ?? 'no shot here' }}</span>
      <span class="soft">{{ broken ? 'this browser cannot play the film' : 'no film yet' }}</span>
    </div>
  </div>
</template>

<style scoped>
.film {
  background: #17150f;
  border: 1px solid var(--ink);
  overflow: hidden;
  width: 100%;
}
video {
  width: 100%;
  height: 100%;
  display: block;
  object-fit: contain;
}
.stand-in {
  height: 100%;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  background: var(--card);
  text-align: center;
  padding: 4px;
}
.name {
  font-family: var(--serif);
  font-style: italic;
  font-size: 17px;
}
</style>
