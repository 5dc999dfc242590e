<script setup lang="ts">
import { computed } from 'vue'
import type { FittingView, SpliceView } from '../../../shared/http'
import { clock, count } from '../../../shared/words'
import MapView from '../../map/MapView.vue'
import { useWaveform } from '../useCut'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const plan = computed(() => props.cut.plan)
const fitting = computed(() => plan.value?.fittings[plan.value.chosen])
const bedWave = useWaveform(() => (props.cut.bed?.reading ? `/api/sounds/${props.cut.bed.hash}/waveform` : null))
const cutWave = useWaveform(() =>
  fitting.value ? `/api/cuts/${props.cut.id}/revisions/${plan.value?.revision}/waveform` : null,
)

const ENDS = { ownEnding: 'own ending', fade: 'fades out at the end', silence: 'ends before the cut' }
const SHORT = { silent: 'unnoticed', listen: 'worth a listen', maybe: 'may be heard' }
const AUDIBLE = { silent: 'nobody should notice it', listen: 'worth a listen', maybe: 'may be heard' }

function speed(of: FittingView): string {
  const percent = of.speedChangePercent
  return Math.abs(percent) < 0.005
    ? 'own speed'
    : `${Math.abs(percent).toFixed(2)} % ${percent > 0 ? 'faster' : 'slower'}`
}

function worst(of: FittingView): SpliceView['audible'] | null {
  const order = ['maybe', 'listen', 'silent'] as const
  return order.find((audible) => of.splices.some((splice) => splice.audible === audible)) ?? null
}

function hearAround(splice: SpliceView) {
  const reading = props.cut.bed?.reading
  const bar = reading && reading.tempoBpm > 0 ? (60 / reading.tempoBpm) * reading.metre : 2
  props.listening.listenTo('bed')
  props.listening.repeatPassage(splice.atS - bar, Math.min(props.cut.lengthS, splice.atS + bar))
}
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Fit</h2>
      <span v-if="fitting && cut.bed?.lengthS" class="soft"
        >{{ clock(cut.bed.lengthS) }} of music become {{ clock(cut.lengthS) }}</span
      >
    </header>
    <template v-if="fitting && plan">
      <MapView
        :cut="cut"
        :fitting="fitting"
        :bed-wave="bedWave"
        :cut-wave="cutWave"
        :position-s="listening.positionS.value"
        @seek="listening.seek"
      />
      <div class="columns">
        <div>
          <h3>Fittings <small class="soft">exact to the sample, best first</small></h3>
          <button
            v-for="(one, k) in plan.fittings"
            :key="k"
            class="plain fitting"
            :class="{ taken: k === plan.chosen }"
            :aria-pressed="k === plan.chosen"
            :disabled="actions.busy.value"
            data-test="fitting"
            @click="k !== plan.chosen && actions.takeFitting(k)"
          >
            <span>{{ k + 1 }}</span>
            <b>{{ one.splices.length ? count(one.splices.length, 'splice') : 'no splice' }}</b>
            <span>{{ ENDS[one.end] }}</span>
            <span class="soft">{{ speed(one) }}</span>
            <span :class="worst(one) === 'maybe' ? 'warn' : 'soft'">{{
              worst(one) ? SHORT[worst(one) ?? 'silent'] : ''
            }}</span>
          </button>
          <p v-for="note in fitting.notes" :key="note" class="warn">{{ note }}</p>
        </div>
        <div>
          <h3>Splices of this fitting</h3>
          <p v-if="!fitting.splices.length" class="soft">None: the bed is played as it is.</p>
          <div v-for="splice in fitting.splices" :key="splice.atS" class="splice" data-test="splice-row">
            <b class="numbers">{{ clock(splice.atS, true) }}</b>
            <span>
              after bar {{ splice.leaveBar }} comes bar {{ splice.enterBar }}, {{ AUDIBLE[splice.audible] }}
              <small class="soft">{{ splice.why }}; crossfade {{ splice.crossfadeMs.toFixed(0) }} ms</small>
            </span>
            <a-button size="small" @click="hearAround(splice)">Hear it</a-button>
          </div>
        </div>
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
  grid-template-columns: minmax(430px, 1fr) minmax(0, 1.1fr);
  gap: 34px;
  margin-top: 8px;
}
.fitting {
  display: grid;
  grid-template-columns: 14px 76px 150px 96px 1fr;
  gap: 8px;
  width: 100%;
  text-align: left;
  padding: 6px 8px;
}
.fitting:hover:not(:disabled) {
  text-decoration: none;
  background: #f2ead8;
}
.fitting.taken {
  background: #e9dfc8;
}
.splice {
  display: grid;
  grid-template-columns: 54px 1fr auto;
  gap: 10px;
  align-items: start;
  margin-bottom: 10px;
}
.splice small {
  display: block;
}
</style>
