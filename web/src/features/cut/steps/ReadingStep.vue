<script setup lang="ts">
import { computed } from 'vue'
import { clock, decibels } from '../../../shared/words'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const reading = computed(() => props.cut.bed?.reading ?? null)
const SURE = { sure: 'sure', fair: 'fairly sure', unsure: 'not sure: please listen' }
const ENDINGS = {
  ownEnding: 'its own last hit, ringing out',
  fadesOut: 'it fades out',
  stopsDead: 'it stops while loud',
}

/** Sections as rows of bars: the form is seen like verses on a page. */
const rows = computed(() => {
  const now = reading.value
  if (!now) return []
  return now.sections.map((section) => ({
    ...section,
    bars: Array.from({ length: section.endBar - section.startBar + 1 }, (_, k) => {
      const bar = section.startBar + k
      const db = now.barLevelsDb[bar - 1] ?? -40
      return { bar, share: Math.max(0.08, 1 + db / 24), startS: now.barLinesS[bar - 1] ?? 0 }
    }),
  }))
})
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Reading</h2>
      <span class="soft">the bed as music</span>
    </header>
    <div v-if="reading" class="columns">
      <dl class="facts card">
        <dt>tempo</dt>
        <dd data-test="tempo">{{ reading.tempoBpm ? `${reading.tempoBpm.toFixed(1)} BPM` : 'no beat found' }}</dd>
        <dt>beats in a bar</dt>
        <dd>{{ reading.tempoBpm ? reading.metre : '' }}</dd>
        <dt>beats</dt>
        <dd :class="{ warn: reading.beatsSure === 'unsure' }">{{ SURE[reading.beatsSure] }}</dd>
        <dt>bar lines</dt>
        <dd :class="{ warn: reading.barsSure === 'unsure' }">{{ SURE[reading.barsSure] }}</dd>
        <dt>first sound</dt>
        <dd class="numbers">{{ clock(reading.musicStartS, true) }}</dd>
        <dt>ending</dt>
        <dd>{{ ENDINGS[reading.ending] }}</dd>
        <template v-if="reading.ending === 'ownEnding'">
          <dt>last hit</dt>
          <dd class="numbers">
            {{ clock(reading.lastHitS, true) }}, rings for {{ (reading.musicEndS - reading.lastHitS).toFixed(1) }} s
          </dd>
        </template>
        <dt>loudness</dt>
        <dd>{{ reading.integratedLufs != null ? `${decibels(reading.integratedLufs)} LUFS` : 'silent' }}</dd>
      </dl>
      <div>
        <h3>Form <small class="soft">one row a section; the darker a bar, the louder</small></h3>
        <p v-if="!rows.length" class="soft">No bars were found, so this bed can only be played once and faded.</p>
        <div v-for="row in rows" :key="row.startBar" class="row">
          <span class="letter">{{ row.label }}</span>
          <span class="numbers soft">{{ clock(row.startS) }}</span>
          <div class="bars">
            <span
              v-for="bar in row.bars"
              :key="bar.bar"
              class="bar numbers"
              :style="{
                background: `rgb(79 127 125 / ${Math.round(bar.share * 60)}%)`,
              }"
              :title="`bar ${bar.bar}, ${clock(bar.startS, true)}`"
              >{{ bar.bar }}</span
            >
          </div>
        </div>
      </div>
    </div>
    <a-empty v-else :description="cut.bed ? 'The bed is being read.' : 'A bed is needed before it can be read.'">
      <router-link v-if="!cut.bed" :to="`/cuts/${cut.id}/beds`">Bring in a bed</router-link>
    </a-empty>
  </section>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: 300px 1fr;
  gap: 34px;
  align-items: start;
}
.row {
  display: grid;
  grid-template-columns: 20px 40px 1fr;
  gap: 8px;
  align-items: start;
  margin-bottom: 8px;
}
.letter {
  border: 1px solid var(--ink);
  text-align: center;
  font-weight: 700;
  font-size: 12px;
}
.bars {
  display: grid;
  grid-template-columns: repeat(8, minmax(34px, 64px));
  gap: 2px;
}
.bar {
  font-size: 11px;
  padding: 3px 6px;
}
</style>
