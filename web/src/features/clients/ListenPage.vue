<script setup lang="ts">
import { useElementSize, useStorage, useTitle } from '@vueuse/core'
import { computed, ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import { answer, fetchSound, Problem, server, type HeardView } from '../../shared/http'
import { useKeys } from '../../shared/keys'
import { me } from '../../shared/me'
import { useAnswer } from '../../shared/query'
import { tell } from '../../shared/tell'
import { clock, samples } from '../../shared/words'
import FilmPicture from '../film/FilmPicture.vue'
import { usePlayer } from '../listening/usePlayer'
import HeardSheet from './HeardSheet.vue'
import RemarkList from './RemarkList.vue'

/** A cut for who was given it: film, sheet and mix, and what they say of it. */
const props = defineProps<{ id: string }>()
const router = useRouter()
const heard = shallowRef<HeardView | null>(null)
/** What is there by now, when that is another revision than the one on the page. */
const newer = shallowRef<HeardView | null>(null)
useTitle(() => (heard.value ? `${heard.value.title}, Jaunty Bar` : 'Jaunty Bar'))

const params = () => ({ path: { id: props.id } })
const OFTEN_MS = 10_000
const {
  data: now,
  error,
  refetch: look,
} = useAnswer(
  () => ['listening', props.id],
  (signal) => answer(server.GET('/api/listening/{id}', { params: params(), signal })),
  { everyMs: () => OFTEN_MS, toldBeside: true },
)
watch(
  now,
  (view) => {
    if (!heard.value || view?.revision === heard.value.revision) heard.value = view ?? null
    else newer.value = view ?? null
  },
  { immediate: true },
)
const isClosed = computed(() => error.value instanceof Problem && error.value.code === 'sign-in')
const problem = computed(() =>
  isClosed.value
    ? 'This is not open any more: the link has run out or was taken back. Ask for another one.'
    : error.value?.message,
)
watch(isClosed, (closed) => {
  if (closed && me.value?.accounts && !me.value.hears) void router.replace(`/sign-in?to=/listen/${props.id}`)
})
function showNewer() {
  listening.stop()
  ;[heard.value, newer.value] = [newer.value, null]
}
const { data: waveform } = useAnswer(
  () => (heard.value ? ['listening', props.id, 'waveform', heard.value.revision] : null),
  (signal) => {
    const query = { revision: heard.value!.revision }
    return answer(server.GET('/api/listening/{id}/waveform', { params: { ...params(), query }, signal }))
  },
  { isForEver: true, toldBeside: true },
)

const listening = usePlayer({
  lengthSamples: () => heard.value?.lengthSamples ?? 0,
  fetchChunk: async (fromSamples, lengthSamples, signal) => {
    const asked = `revision=${heard.value?.revision}&fromSamples=${fromSamples}&lengthSamples=${lengthSamples}`
    return fetchSound(`/api/listening/${props.id}/sound?${asked}`, signal).catch((cause: unknown) => {
      if (cause instanceof Problem && cause.code === 'stale') void look()
      throw cause
    })
  },
})
const { positionS, playing } = listening
const frameRate = computed(() => heard.value?.frameRate ?? 25)
const frame = computed(() => Math.floor(positionS.value * frameRate.value + 1e-3))
const followed = { positionS, playing, frame, frameRate, startedAt: () => listening.player.startedAt() }

function play(fromS = positionS.value) {
  const length = heard.value?.lengthSamples ?? 0
  const from = samples(fromS)
  playing.value = true
  void listening.player.play(from >= length - 4800 ? 0 : from, length, false)
}
function toggle() {
  if (playing.value) listening.stop()
  else play()
}
function seek(seconds: number) {
  const was = playing.value
  listening.stop()
  positionS.value = Math.min(Math.max(0, seconds), heard.value?.lengthS ?? 0)
  if (was) play()
}
useKeys('Listening', [
  { key: ' ', shown: 'Space', what: 'play and stop', act: toggle },
  { key: 'ArrowLeft', shown: '←', what: 'five seconds back', act: () => seek(positionS.value - 5) },
  { key: 'ArrowRight', shown: '→', what: 'five seconds on', act: () => seek(positionS.value + 5) },
])

/** What is being said: of the moment at which the first letter was typed, or of all of it. */
const name = useStorage('jaunty-bar-name', '')
const words = ref('')
const atS = ref<number | null>(null)
const ofAll = ref(false)
const busy = ref(false)
watch(words, (now, before) => {
  if (now && !before) atS.value = positionS.value
})
async function say(approves: boolean) {
  busy.value = true
  try {
    const at = ofAll.value || approves ? null : samples(atS.value ?? positionS.value)
    const body = { words: words.value, approves, atSamples: at, name: name.value || null }
    await answer(server.POST('/api/listening/{id}/remarks', { params: params(), body }))
    words.value = ''
    await look()
  } catch (cause) {
    tell(cause)
  } finally {
    busy.value = false
  }
}
const holder = ref<HTMLElement>()
const { width } = useElementSize(holder)
const made = computed(() =>
  heard.value
    ? new Date(heard.value.madeAt).toLocaleString([], {
        day: 'numeric',
        month: 'short',
        hour: '2-digit',
        minute: '2-digit',
        hour12: false,
      })
    : '',
)
</script>

<template>
  <main v-if="problem && !heard" class="listen">
    <h1>Jaunty Bar</h1>
    <p class="warn" role="alert" data-test="closed">{{ problem }}</p>
  </main>
  <main v-else-if="heard" class="listen">
    <header>
      <h1 data-test="title">{{ heard.title }}</h1>
      <span class="soft numbers">{{ clock(heard.lengthS) }}, as of {{ made }} (revision {{ heard.revision }})</span>
      <router-link v-if="heard.edits" :to="`/cuts/${id}`" class="back">to the cut</router-link>
    </header>
    <p v-if="newer" class="card newer" role="status">
      There is a newer version of this cut.
      <a-button size="small" type="primary" data-test="newer" @click="showNewer">Hear that</a-button>
    </p>
    <div class="columns">
      <section ref="holder">
        <div v-if="heard.film" class="picture">
          <FilmPicture
            :source="`/api/listening/${id}/film`"
            :aspect="heard.filmAspect ?? 16 / 9"
            :called="heard.title"
            :listening="followed"
          />
        </div>
        <div class="strip">
          <a-button type="primary" data-test="play" @click="toggle"
            >{{ playing ? 'Stop' : 'Play' }} <kbd>Space</kbd></a-button
          >
          <b class="numbers" data-test="position">{{ clock(positionS, true) }}</b>
          <span class="soft">click into the sheet to hear it from there; the line is the level of the music</span>
        </div>
        <HeardSheet
          :heard="heard"
          :waveform="waveform ?? null"
          :width="width"
          :position-s="positionS"
          @seek="(s) => (seek(s), playing || play(s))"
        />
      </section>
      <aside>
        <form class="card" @submit.prevent="say(false)">
          <label for="words"
            >Say something of
            <b class="numbers">{{ ofAll ? 'all of it' : clock(words ? (atS ?? 0) : positionS) }}</b></label
          >
          <a-textarea id="words" v-model:value="words" :rows="3" :maxlength="1000" data-test="words" />
          <a-checkbox v-model:checked="ofAll" data-test="of-all">of all of it</a-checkbox>
          <a-input
            v-if="!heard.name"
            v-model:value="name"
            placeholder="your name"
            aria-label="your name"
            :maxlength="120"
            data-test="name"
          />
          <div class="ways">
            <a-button html-type="submit" :disabled="!words.trim()" :loading="busy" data-test="say">Say it</a-button>
            <a-button type="primary" :loading="busy" data-test="approve" @click="say(true)">All is well</a-button>
          </div>
        </form>
        <h2 v-if="heard.remarks.length">What was said</h2>
        <RemarkList :remarks="heard.remarks" @seek="seek" />
      </aside>
    </div>
  </main>
</template>

<style scoped>
.listen {
  max-width: 1240px;
  margin: 0 auto;
  padding: 20px 24px;
}
header {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  align-items: baseline;
  border-bottom: 1px solid var(--ink);
  margin-bottom: 16px;
}
.back {
  margin-left: auto;
}
.newer {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin: 0 0 12px;
  padding: 8px 14px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 28px;
}
@media (width < 860px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
.picture {
  max-width: min(100%, 480px);
  margin: 0 auto;
}
.strip {
  display: flex;
  gap: 16px;
  align-items: center;
  margin: 12px 0;
}
.strip kbd {
  color: inherit;
  border-color: currentcolor;
}
.strip b {
  font-size: 20px;
}
aside form {
  display: grid;
  gap: 8px;
  margin-bottom: 18px;
}
.ways {
  display: flex;
  justify-content: space-between;
}
h2 {
  font-size: 17px;
  margin-bottom: 4px;
}
</style>
