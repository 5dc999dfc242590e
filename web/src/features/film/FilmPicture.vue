<script setup lang="ts">
import { useRafFn } from '@vueuse/core'
import { ref, watch, type Ref } from 'vue'
import { follow, middleOf } from './follow'

/** What a film keeps in step with. */
export interface Followed {
  positionS: Ref<number>
  playing: Ref<boolean>
  frame: Readonly<Ref<number>>
  frameRate: Readonly<Ref<number>>
  startedAt: () => number | null
}

/** A film in step with the sound; what stands in for it where there is none. */
const props = defineProps<{ source: string | null; aspect: number; called: string; listening: Followed }>()

const video = ref<HTMLVideoElement>()
const broken = ref(false)
/** How far the last shown picture was from the sound, in ms: for tests, and for whoever doubts. */
const offMs = ref<number | null>(null)
/** The same in whole frames: the shown one against the one that belongs to the sound. */
const offFrames = ref<number | null>(null)
watch(
  () => props.source,
  () => (broken.value = false),
)

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
    :style="{ aspectRatio: aspect }"
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
      :aria-label="`The film: ${called}`"
      @error="broken = true"
    ></video>
    <div v-else class="stand-in"><slot :broken="broken" /></div>
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
</style>
