<script setup lang="ts">
import { useTitle } from '@vueuse/core'
import { computed, defineAsyncComponent, onMounted, ref, toRef, type Component } from 'vue'
import type { Step } from '../../router'
import { useKeys } from '../../shared/keys'
import { clock } from '../../shared/words'
import FilmView from '../film/FilmView.vue'
import ListeningStrip from '../listening/ListeningStrip.vue'
import { useListening } from '../listening/useListening'
import { useFindings } from '../checking/useFindings'
import { contentsOf } from './contents'
import { useCut } from './useCut'
import { useHere } from './useHere'
import { wordsOf } from '../../shared/i18n'

const props = defineProps<{ id: string; step: Step }>()
const actions = useCut(toRef(props, 'id'))
const { cut, problem, away, others } = actions
const listening = useListening(cut)
useHere(toRef(props, 'id'), toRef(props, 'step'), listening)
useTitle(() => (cut.value ? `${cut.value.title}, Jaunty Bar` : 'Jaunty Bar'))

/** Each step comes when it is shown first, and the others while nobody waits: what one sees at once is a third as much. */
const LOAD = {
  picture: () => import('./steps/PictureStep.vue'),
  beds: () => import('./steps/BedsStep.vue'),
  voice: () => import('./steps/VoiceStep.vue'),
  reading: () => import('./steps/ReadingStep.vue'),
  fit: () => import('./steps/FitStep.vue'),
  shape: () => import('./steps/ShapeStep.vue'),
  check: () => import('./steps/CheckStep.vue'),
  'hand-over': () => import('./steps/HandOverStep.vue'),
  lengths: () => import('./steps/LengthsStep.vue'),
}
const VIEWS = Object.fromEntries(
  Object.entries(LOAD).map(([step, load]) => [step, defineAsyncComponent(load as () => Promise<Component>)]),
)
const KeysSheet = defineAsyncComponent(() => import('./KeysSheet.vue'))
const SOON_MS = 1500
onMounted(() => setTimeout(() => Object.values(LOAD).forEach((load) => void load().catch(() => undefined)), SOON_MS))

/** These steps show the film themselves. */
const SHOWS_FILM: readonly Step[] = ['picture', 'voice']
const { openCount: looks } = useFindings(() => cut.value)
const contents = computed(() => (cut.value ? contentsOf(cut.value, looks.value) : []))
const work = computed(() => cut.value?.jobs.filter((job) => job.state !== 'failed') ?? [])
const failed = computed(() => cut.value?.jobs.filter((job) => job.state === 'failed') ?? [])
const saved = computed(() =>
  cut.value
    ? new Date(cut.value.plan.savedAt).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit', hour12: false })
    : '',
)

useKeys(
  'The cut',
  [
    {
      key: 'z',
      ctrl: true,
      shown: 'Ctrl Z',
      what: 'undo; with Shift, redo',
      act: (event) => {
        if (event.shiftKey) return cut.value?.plan.redo ? void actions.redo() : undefined
        return cut.value?.plan.undo ? void actions.undo() : undefined
      },
    },
  ],
  { ofStep: false },
)
const keys = ref<{ open: boolean }>()
</script>

<template>
  <div v-if="problem" class="step">
    <a-alert type="error" :message="problem" show-icon />
    <p><router-link to="/">All cuts</router-link></p>
  </div>
  <div v-else-if="cut" class="page">
    <a class="skip" href="#step">To the step</a>
    <nav class="column" aria-label="Steps">
      <router-link to="/" class="name">Jaunty Bar</router-link>
      <h1 class="cut-title" data-test="title">{{ cut.title }}</h1>
      <p class="soft">{{ clock(cut.lengthS - cut.tailS) }} at {{ cut.rate.label }} frames</p>
      <ol>
        <li v-for="(entry, k) in contents" :key="entry.step" :class="{ here: entry.step === step }">
          <router-link
            :to="`/cuts/${id}/${entry.step}`"
            :aria-current="entry.step === step ? 'step' : undefined"
            :data-test="`step-${entry.step}`"
          >
            <span class="number">{{ k + 1 }}</span>
            <span>
              <b>{{ entry.name }}</b>
              <small :class="{ warn: entry.warn }">{{ entry.state }}</small>
            </span>
          </router-link>
        </li>
      </ol>
      <router-link
        :to="`/cuts/${id}/lengths`"
        class="lengths"
        :class="{ here: step === 'lengths' }"
        :aria-current="step === 'lengths' ? 'page' : undefined"
        data-test="step-lengths"
        >Several lengths</router-link
      >
      <div class="foot">
        <div v-for="job in work" :key="job.id" class="job" data-test="job" role="status">
          <span>{{ job.doing }}</span>
          <progress :value="job.progress" :aria-label="job.doing" />
          <button class="plain" @click="actions.cancel(job.id)">cancel</button>
        </div>
        <p v-for="one in others" :key="one.window" class="here" data-test="other">
          <b>{{ one.name }}</b> is in
          {{ contents.find((entry) => entry.step === one.step)?.name ?? 'Several lengths' }}, at
          <button class="plain numbers" @click="listening.seek(one.atS)">{{ clock(one.atS) }}</button>
        </p>
        <FilmView v-if="cut.film && !SHOWS_FILM.includes(step)" :cut="cut" :listening="listening" class="small-film" />
        <button class="plain" :disabled="!cut.plan.undo" data-test="undo" title="Ctrl+Z" @click="actions.undo()">
          Undo<template v-if="cut.plan.undo">: {{ wordsOf(cut.plan.undo) }}</template>
        </button>
        <button v-if="cut.plan.redo" class="plain" data-test="redo" title="Ctrl+Shift+Z" @click="actions.redo()">
          Redo: {{ wordsOf(cut.plan.redo) }}
        </button>
        <router-link to="/guide" class="plain" target="_blank" data-test="guide">Guide</router-link>
        <button class="plain" data-test="show-keys" @click="keys && (keys.open = true)">Keys <kbd>?</kbd></button>
        <p class="soft numbers" data-test="revision" :data-revision="cut.plan.revision">
          Revision {{ cut.plan.revision }}, saved {{ saved
          }}<template v-if="cut.plan.madeBy"> by {{ cut.plan.madeBy }}</template>
        </p>
      </div>
    </nav>
    <main id="step" tabindex="-1" :class="{ whole: step === 'reading' && cut.bed?.reading }">
      <a-alert
        v-for="job in failed"
        :key="job.id"
        type="error"
        banner
        data-test="failed-job"
        :message="`That did not work: ${job.problem}`"
      >
        <template #action>
          <button class="plain" data-test="try-again" @click="actions.tryAgain(job.id)">try again</button>
          <button class="plain" data-test="dismiss" @click="actions.cancel(job.id)">dismiss</button>
        </template>
      </a-alert>
      <a-alert
        v-if="away"
        type="warning"
        banner
        data-test="away"
        message="The database does not answer. What you said is kept, and sent as soon as it is back."
      />
      <component :is="VIEWS[step]" :cut="cut" :actions="actions" :listening="listening" />
    </main>
    <KeysSheet ref="keys" />
    <ListeningStrip
      v-if="step !== 'reading' || !cut.bed?.reading"
      class="listening"
      :cut="cut"
      :listening="listening"
    />
  </div>
  <div v-else class="step soft">Opening the cut …</div>
</template>

<style scoped>
.page {
  display: grid;
  grid-template: minmax(0, 1fr) auto / 178px minmax(0, 1fr);
  height: 100vh;
  overflow: hidden;
}
.column {
  grid-row: 1 / 3;
  background: var(--column);
  display: flex;
  flex-direction: column;
  padding: 20px 0 14px;
  overflow-y: auto;
}
.column > * {
  flex: none;
}
.column > p,
.cut-title,
.name {
  padding: 0 18px;
  margin: 0;
}
.name {
  font-family: var(--serif);
  font-weight: 700;
  font-size: 23px;
  color: var(--ink);
  margin-bottom: 12px;
}
.cut-title {
  margin: 0;
  font-family: inherit;
  font-size: inherit;
  font-weight: 600;
  overflow-wrap: anywhere;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 3;
  overflow: hidden;
}
ol {
  list-style: none;
  padding: 0;
  margin: 18px 0 0;
}
li a {
  display: flex;
  gap: 12px;
  padding: 7px 12px 7px 15px;
  border-left: 3px solid transparent;
  color: var(--ink);
}
li.here a {
  background: var(--ground);
  border-color: var(--ink);
}
li a > span:last-child {
  min-width: 0;
}
li b {
  display: block;
  font-weight: 500;
  font-size: 15px;
}
.lengths {
  display: block;
  margin-top: 10px;
  padding: 6px 12px 6px 15px;
  border-left: 3px solid transparent;
  color: var(--ink);
}
.lengths.here {
  background: var(--ground);
  border-color: var(--ink);
}
li small {
  display: block;
  color: var(--soft);
  font-size: 12px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li small.warn {
  color: var(--warn);
}
.number {
  color: var(--soft);
  min-width: 10px;
  font-variant-numeric: tabular-nums;
}
.foot {
  margin-top: auto;
  padding: 12px 14px 0;
  font-size: 12px;
}
.foot .plain {
  display: block;
  text-align: left;
  padding: 2px 4px;
  max-width: 100%;
  overflow-wrap: anywhere;
}
.foot p {
  margin: 4px 4px 0;
}
.small-film {
  margin-bottom: 8px;
}
.job {
  margin-bottom: 6px;
  padding: 0 4px;
}
@media print {
  .page {
    display: block;
    height: auto;
    overflow: visible;
  }
  .column,
  .listening {
    display: none;
  }
  main {
    overflow: visible;
  }
}
/* The reading brings a strip of its own: there the bed is heard, not the cut. */
main.whole {
  grid-row: 1 / 3;
}
main {
  overflow: auto;
  min-height: 0;
  min-width: 0;
}
/* A narrow window, or a wide one at twice its size: one above the other, and the page scrolls. */
@media screen and (width < 860px) {
  .page {
    display: block;
    height: auto;
    min-height: 100vh;
    overflow: visible;
  }
  .column {
    padding: 10px 0;
  }
  .column > .name {
    margin: 0;
  }
  ol {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(106px, 1fr));
    margin-top: 6px;
  }
  li small {
    display: none;
  }
  .small-film {
    display: none;
  }
  .foot {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 12px;
    padding-top: 4px;
  }
  .listening {
    position: sticky;
    bottom: 0;
    z-index: 2;
  }
  /* What fills the window has one here too. */
  main.whole,
  main:has(> .shape) {
    height: max(340px, 100vh - 120px);
  }
}
</style>
