<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import type { TableColumnType } from 'ant-design-vue'
import { computed, h, ref, shallowRef, watch } from 'vue'
import { useKeys } from '../../../shared/keys'
import { answer, server, type FittingView, type Of } from '../../../shared/http'
import { queries, useAnswer } from '../../../shared/query'
import { clock, count } from '../../../shared/words'
import MapView from '../../map/MapView.vue'
import SpliceCloseUp from '../../map/SpliceCloseUp.vue'
import NextBed from '../../map/NextBed.vue'
import PartsRow from '../../map/PartsRow.vue'
import WishesPanel from '../../map/WishesPanel.vue'
import { useWaveform } from '../useCut'
import type { StepProps } from './props'
import { wordsOf } from '../../../shared/i18n'

const props = defineProps<StepProps>()
const plan = computed(() => props.cut.plan)
const chosen = computed(() => plan.value.fittings[plan.value.chosen])
const busy = computed(() => props.actions.busy.value)
const bedWave = useWaveform(() =>
  props.cut.bed?.reading ? `/api/cuts/${props.cut.id}/sounds/${props.cut.bed.hash}/waveform` : null,
)
const cutWave = useWaveform(() =>
  chosen.value ? `/api/cuts/${props.cut.id}/revisions/${plan.value.revision}/waveform` : null,
)

/** How long the bed at hand is to be. */
const placeS = computed(() => {
  const part = plan.value.parts.find((one) => one.atHand)
  return part ? part.endS - part.startS : props.cut.lengthS
})

/** What another length would give, while it is dragged. */
const tried = shallowRef<{ lengthS: number; fitting: FittingView | null } | null>(null)
const fitting = computed(() => tried.value?.fitting ?? chosen.value)
/** Frames of the picture of a cut that sounds so long. */
const framesOf = (seconds: number) =>
  Math.max(1, Math.round(((seconds - props.cut.tailS) * props.cut.rate.num) / props.cut.rate.den))
async function tryLength(seconds: number) {
  const frames = framesOf(seconds)
  const lengthS = (frames * props.cut.rate.den) / props.cut.rate.num + props.cut.tailS
  tried.value = { lengthS, fitting: tried.value?.fitting ?? null }
  const key = ['cut', props.cut.id, 'fit at']
  await queries.cancelQueries({ queryKey: key })
  const params = { path: { id: props.cut.id }, query: { lengthFrames: frames } }
  const found = await queries
    .fetchQuery({
      queryKey: [...key, frames, plan.value.revision],
      queryFn: ({ signal }) => answer(server.GET('/api/cuts/{id}/fit/at', { params, signal })),
      meta: { toldBeside: true },
    })
    .catch(() => null)
  if (found && tried.value?.lengthS === lengthS) tried.value = { lengthS, fitting: found }
}
const fit = (change: Of<'fit'>) => props.actions.say(change)
const setLength = (seconds: number) => void fit({ about: 'fit', do: 'length', frames: framesOf(seconds) })
// The new plan comes by an event; what was tried stands until then.
watch(
  () => [plan.value.revision, props.cut.lengthFrames],
  () => (tried.value = null),
)

const spliceIndex = ref(0)
const splice = computed(
  () => chosen.value?.splices[Math.min(spliceIndex.value, (chosen.value?.splices.length ?? 0) - 1)],
)
const closeUp = ref<InstanceType<typeof SpliceCloseUp>>()
watch(
  () => plan.value.chosen,
  () => (spliceIndex.value = 0),
)

function hearAround() {
  if (!splice.value) return
  // As long as the bar that is left.
  const lines = props.cut.bed?.reading?.barLinesS ?? []
  const [from, to] = [lines[splice.value.leaveBar - 1], lines[splice.value.leaveBar]]
  const bar = from !== undefined && to !== undefined ? to - from : 2
  props.listening.repeatPassage(splice.value.atS - bar, Math.min(props.cut.lengthS, splice.value.atS + bar))
}

/** The fitting that was played before this one: both are heard in turn. */
const other = ref<number | null>(null)
async function take(index: number) {
  const from = plan.value.chosen
  if (index === from || busy.value) return
  if (await fit({ about: 'fit', do: 'choose', fitting: index })) other.value = from
}

const ENDS = {
  ownEnding: 'own ending',
  ownFade: 'own fade',
  stop: 'stop, rings out',
  fade: 'fade',
  silence: 'ends early',
}
const by = (of: (f: FittingView) => number) => (a: { fitting: FittingView }, b: { fitting: FittingView }) =>
  of(a.fitting) - of(b.fitting)
const columns: TableColumnType<{ fitting: FittingView; index: number }>[] = [
  { title: () => h('span', { class: 'unseen' }, 'number'), key: 'number', width: 26 },
  { title: 'what is heard', key: 'name' },
  { title: 'splices', key: 'splices', width: 68, sorter: by((f) => f.splices.length) },
  { title: 'hard to hear', key: 'worst', width: 80, sorter: by((f) => f.worst ?? 100) },
  { title: 'left out', key: 'left', width: 70, sorter: by((f) => f.leftOutS) },
  { title: 'again', key: 'again', width: 60, sorter: by((f) => f.repeatedS) },
  { title: 'speed', key: 'speed', width: 66, sorter: by((f) => Math.abs(f.speedChangePercent)) },
]
const rows = computed(() => plan.value.fittings.map((one, index) => ({ fitting: one, index, key: index })))
const cell = (text: string) => text
function text(one: FittingView, column: unknown): string {
  switch (column) {
    case 'splices':
      return one.splices.length ? String(one.splices.length) : 'none'
    case 'worst':
      return one.worst == null ? '–' : String(one.worst)
    case 'left':
      return one.leftOutS < 0.5 ? '–' : clock(one.leftOutS)
    case 'again':
      return one.repeatedS < 0.5 ? '–' : clock(one.repeatedS)
    case 'speed':
      return Math.abs(one.speedChangePercent) < 0.005
        ? 'own'
        : cell(`${one.speedChangePercent > 0 ? '+' : '−'}${Math.abs(one.speedChangePercent).toFixed(2)} %`)
    default:
      return ''
  }
}

/** Lengths at which the bed ends by itself, for the cut as it stands. */
const dependsOn = refDebounced(
  computed(() => [props.cut.bed?.hash, props.cut.lengthFrames, props.cut.shots, plan.value.wishes]),
  400,
)
const { data: ways } = useAnswer(
  () => (props.cut.bed?.reading ? ['cut', props.cut.id, 'ways', dependsOn.value] : null),
  (signal) => answer(server.GET('/api/cuts/{id}/fit/lengths', { params: { path: { id: props.cut.id } }, signal })),
  { staysUntilNext: true, toldBeside: true },
)

const wishes = ref<InstanceType<typeof WishesPanel>>()
/** What is asked for lies below the fittings: one key brings it up. */
function toWishes() {
  const panel = wishes.value?.$el as HTMLElement | undefined
  panel?.scrollIntoView({ block: 'center' })
  panel?.querySelector<HTMLElement>('input, button:not(:disabled)')?.focus({ preventScroll: true })
}

/** A key that moves a splice: what comes while the move before is made is added up by the close-up. */
const moves = (key: string, what: string, act: () => unknown) => ({
  key,
  what,
  act: () => (chosen.value ? void act() : false),
})
/** A key that changes the fit does nothing while another change of it is made. */
const change = (key: string | string[], what: string, act: () => unknown) => ({
  key,
  what,
  act: () => (chosen.value ? void (busy.value || act()) : false),
})
const turn = (by: number) => take((plan.value.chosen + by + plan.value.fittings.length) % plan.value.fittings.length)
useKeys('Fit', [
  change('ArrowUp', 'the fitting before', () => turn(-1)),
  change('ArrowDown', 'the next fitting', () => turn(1)),
  change('x', 'the fitting that was played before, in turn', () => other.value !== null && take(other.value)),
  { key: 'Enter', what: 'hear a bar round the splice', act: () => (chosen.value ? hearAround() : false) },
  moves(',', 'enter 1 ms earlier', () => closeUp.value?.nudge(-48)),
  moves('.', 'enter 1 ms later', () => closeUp.value?.nudge(48)),
  moves('<', 'enter a sample earlier', () => closeUp.value?.nudge(-1)),
  moves('>', 'enter a sample later', () => closeUp.value?.nudge(1)),
  moves(';', 'the splice a beat earlier', () => closeUp.value?.later(-1)),
  moves("'", 'the splice a beat later', () => closeUp.value?.later(1)),
  change('t', 'the next best place', () => closeUp.value?.nextBest()),
  change('w', 'what you ask for', toWishes),
])
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Fit</h2>
      <span v-if="fitting && cut.bed?.lengthS" class="soft"
        >{{ clock(cut.bed.lengthS) }} of music become {{ clock(tried?.lengthS ?? placeS) }}, exact to the sample</span
      >
      <button v-if="chosen && !tried" class="plain" data-test="to-wishes" @click="toWishes">
        {{
          plan.wishes.standing.length
            ? `what you ask for, ${plan.wishes.standing.length}`
            : 'ask for a start, an end, a place'
        }}
        <kbd>W</kbd>
      </button>
      <span v-if="tried" class="trying" role="status">
        trying <b class="numbers">{{ clock(tried.lengthS, true) }}</b>
        <template v-if="tried.fitting"
          >: {{ tried.fitting.splices.length ? count(tried.fitting.splices.length, 'splice') : 'no splice' }},
          {{ ENDS[tried.fitting.end]
          }}<template v-if="tried.fitting.worst != null"
            >, {{ tried.fitting.worst }} of 100 hard to hear</template
          ></template
        >
        <button class="plain" data-test="take-length" @click="setLength(tried.lengthS)">
          make the cut so long <kbd>↵</kbd>
        </button>
        <button class="plain" @click="tried = null">leave it</button>
      </span>
      <span v-else-if="plan.fittedBefore" class="trying">
        The narration or the picture changed since this was fitted.
        <button class="plain" :disabled="busy" data-test="fit-again" @click="fit({ about: 'fit', do: 'again' })">
          Fit again
        </button>
      </span>
      <NextBed
        v-else-if="chosen"
        :cut="cut"
        :busy="busy"
        :position-s="listening.positionS.value"
        @say="(said) => actions.say(said)"
      />
    </header>
    <template v-if="fitting && chosen">
      <PartsRow :cut="cut" :busy="busy" @say="(said) => actions.say(said)" />
      <MapView
        :cut="cut"
        :fitting="fitting"
        :tried-s="tried?.lengthS ?? null"
        :bed-wave="bedWave"
        :cut-wave="cutWave"
        :position-s="listening.positionS.value"
        :chosen-splice="spliceIndex"
        @seek="listening.seek"
        @say="fit"
        @splice="(index) => (spliceIndex = index)"
        @try-length="tryLength"
        @leave-length="tried = null"
        @set-length="setLength"
      />
      <p v-if="fitting.why && !tried" class="soft note" data-test="fit-why">{{ wordsOf(fitting.why) }}</p>
      <p v-for="note in fitting.notes.map(wordsOf)" :key="note" class="warn note" data-test="fit-note">{{ note }}</p>
      <div class="columns" :class="{ bare: !splice }">
        <div class="fittings">
          <h3>
            Fittings
            <small class="soft">best first; <kbd>↑</kbd> <kbd>↓</kbd> flick through, <kbd>X</kbd> the one before</small>
          </h3>
          <a-table
            :columns="columns"
            :data-source="rows"
            :pagination="false"
            size="small"
            :row-class-name="(row: { index: number }) => (row.index === plan.chosen ? 'taken' : '')"
            :custom-row="
              (row: { index: number }) => ({
                onClick: () => take(row.index),
                'data-test': 'fitting',
                'aria-selected': row.index === plan.chosen,
              })
            "
          >
            <template #bodyCell="{ column, record }">
              <span v-if="column.key === 'number'" class="soft">{{ record.index + 1 }}</span>
              <button
                v-else-if="column.key === 'name'"
                class="plain name"
                :title="`${wordsOf(record.fitting.name)}. ${wordsOf(record.fitting.why)}`"
              >
                {{ wordsOf(record.fitting.name) }}
              </button>
              <span
                v-else
                class="numbers"
                :class="{ warn: column.key === 'worst' && (record.fitting.worst ?? 100) < 40 }"
                >{{ text(record.fitting, column.key) }}</span
              >
            </template>
          </a-table>
        </div>
        <div class="asked">
          <p v-if="!splice" class="soft" data-test="no-splice">
            The bed is played in one run: no splice to hear, none to mend.
          </p>
          <WishesPanel
            ref="wishes"
            :cut="cut"
            :busy="busy"
            :ways="ways ?? null"
            @picture="(said) => actions.say(said)"
            @bed="(said) => actions.say(said)"
            :position-s="listening.positionS.value"
            @say="fit"
          />
        </div>
        <SpliceCloseUp
          v-if="splice"
          ref="closeUp"
          class="joint"
          :cut="cut"
          :splice="splice"
          :index="Math.min(spliceIndex, chosen.splices.length - 1)"
          :count="chosen.splices.length"
          :busy="busy"
          @say="fit"
          @hear="hearAround"
          @go="(index) => (spliceIndex = index)"
        />
      </div>
    </template>
    <a-empty v-else description="A bed is needed before it can be fitted.">
      <router-link :to="`/cuts/${cut.id}/beds`">Bring in a bed</router-link>
    </a-empty>
  </section>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template:
    'fittings joint' auto
    'asked joint' 1fr / minmax(0, 1.2fr) minmax(400px, 1fr);
  gap: 12px 24px;
  margin-top: 4px;
}
@media (width < 1120px) {
  .columns {
    grid-template: 'fittings' auto 'joint' auto 'asked' auto / minmax(0, 1fr);
  }
}
/* Without a splice to look at, what is asked for has its place. */
.columns.bare {
  grid-template-areas: 'fittings asked' 'fittings asked';
}
.fittings {
  grid-area: fittings;
}
.asked {
  grid-area: asked;
}
.joint {
  grid-area: joint;
}
.trying {
  margin-left: auto;
}
.note {
  margin: 2px 0;
}
.name {
  text-decoration: none;
  padding: 0;
  text-align: left;
  line-height: 1.25;
}
:deep(.ant-table) {
  background: transparent;
}
:deep(.ant-table-tbody > tr) {
  cursor: pointer;
}
:deep(.ant-table-tbody > tr.taken > td) {
  background: var(--chosen);
}
:deep(.ant-table-cell) {
  padding: 3px 5px !important;
  font-size: 13px;
}
</style>
