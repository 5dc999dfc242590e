<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { LevelView } from '../../../shared/http'
import { clock, decibels } from '../../../shared/words'
import SheetView from '../../sheet/SheetView.vue'
import { useWaveform } from '../useCut'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const ZOOMS = [5, 10, 15, 20, 30, 60]
const secondsPerLine = ref(ZOOMS.find((zoom) => zoom * 6 >= props.cut.lengthS) ?? 30)
const plan = computed(() => props.cut.plan)
const waveform = useWaveform(() =>
  plan.value?.fittings.length ? `/api/cuts/${props.cut.id}/revisions/${plan.value.revision}/waveform` : null,
)

const selected = ref<{ index: number; x: number; y: number } | null>(null)
const level = computed(() => plan.value?.levels.find((object) => object.index === selected.value?.index) ?? null)
const under = ref(7)
watch(level, (object) => object && (under.value = object.underSpeechDb))

function select(object: LevelView, x: number, y: number) {
  selected.value = { index: object.index, x, y }
}

function zoom(by: number) {
  const at = ZOOMS.indexOf(secondsPerLine.value)
  secondsPerLine.value = ZOOMS[Math.min(ZOOMS.length - 1, Math.max(0, at + by))] ?? 15
}

function apply() {
  if (level.value && under.value !== level.value.underSpeechDb)
    void props.actions.setLevel(level.value.index, under.value)
}

/** The card stays within the page, above its swell when there is no room below. */
const place = computed(() => {
  const at = selected.value
  return at
    ? { left: `${Math.min(Math.max(8, at.x - 40), 760)}px`, top: `${at.y > 420 ? at.y - 196 : at.y + 46}px` }
    : {}
})
</script>

<template>
  <section class="shape">
    <header class="step-head">
      <h2>Shape</h2>
      <span class="soft">swells in the gaps, dips under speech</span>
      <span v-if="plan?.fittings.length && !waveform" class="soft" role="status">drawing the bed …</span>
      <span class="zoom soft">
        {{ secondsPerLine }} seconds a line
        <button class="plain" aria-label="Fewer seconds a line" @click="zoom(-1)">fewer</button>
        <button class="plain" aria-label="More seconds a line" @click="zoom(1)">more</button>
      </span>
    </header>
    <div v-if="plan?.fittings.length" class="holder">
      <SheetView
        :cut="cut"
        :waveform="waveform"
        :seconds-per-line="secondsPerLine"
        :position-s="listening.positionS.value"
        :passage="listening.passage.value"
        :selected="selected?.index ?? null"
        @seek="listening.seek"
        @passage="(fromS, toS) => listening.repeatPassage(fromS, toS)"
        @select="select"
      />
      <div
        v-if="level"
        class="card level"
        :style="place"
        role="dialog"
        aria-label="Swell"
        data-test="level-card"
        @keydown.esc="selected = null"
      >
        <h3>Swell in the gap {{ clock(level.startS, true) }} to {{ clock(level.endS, true) }}</h3>
        <dl class="facts">
          <dt>up to</dt>
          <dd>
            <a-input-number
              v-model:value="under"
              :min="0"
              :max="60"
              :step="1"
              size="small"
              aria-label="Decibels under the voice"
              data-test="level-db"
              @press-enter="apply"
            />
            dB under the voice
          </dd>
          <dt>rises</dt>
          <dd>{{ level.riseS ? `${level.riseS.toFixed(1)} s` : 'is up from the start' }}</dd>
          <dt>falls</dt>
          <dd>
            {{ level.fallS ? `${level.fallS.toFixed(1)} s, done before the first syllable` : 'stays up to the end' }}
          </dd>
        </dl>
        <p :class="level.byHand ? 'hand' : 'soft'">
          {{ level.byHand ? 'set by hand: it stays when the plan is made anew' : 'follows the narration' }}
        </p>
        <a-button size="small" type="primary" data-test="level-apply" @click="apply">Set</a-button>
        <a-button size="small" @click="selected = null">Close</a-button>
      </div>
      <table class="unseen">
        <caption>
          Swells, dips and phrases of the cut
        </caption>
        <tbody>
          <tr v-for="object in plan.levels" :key="object.index">
            <td>{{ object.kind }}</td>
            <td>{{ clock(object.startS, true) }} to {{ clock(object.endS, true) }}</td>
            <td>{{ decibels(-object.underSpeechDb) }} dB</td>
            <td><button v-if="object.kind === 'swell'" @click="select(object, 200, 100)">change</button></td>
          </tr>
          <tr v-for="(phrase, k) in plan.phrases" :key="`p${k}`">
            <td>phrase</td>
            <td>{{ clock(phrase.startS, true) }} to {{ clock(phrase.endS, true) }}</td>
            <td>{{ phrase.words }}</td>
            <td></td>
          </tr>
        </tbody>
      </table>
    </div>
    <a-empty v-else description="There is nothing to shape yet. Bring in a bed first.">
      <router-link :to="`/cuts/${cut.id}/beds`">Bring in a bed</router-link>
    </a-empty>
  </section>
</template>

<style scoped>
.shape {
  display: flex;
  flex-direction: column;
  height: 100%;
  padding: 16px 8px 0 22px;
  box-sizing: border-box;
}
.step-head {
  margin-bottom: 6px;
}
.zoom {
  margin-left: auto;
  padding-right: 14px;
}
.holder {
  position: relative;
  flex: 1;
  min-height: 0;
}
.level {
  position: absolute;
  width: 330px;
  box-shadow: 0 4px 14px rgb(31 36 48 / 18%);
}
.level p {
  margin: 8px 0;
}
.level .ant-btn + .ant-btn {
  margin-left: 8px;
}
.hand {
  color: var(--hand);
}
</style>
