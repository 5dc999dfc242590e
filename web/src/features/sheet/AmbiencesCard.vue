<script setup lang="ts">
import type { UploadProps } from 'ant-design-vue'
import type { AmbienceChange, CutView, Of } from '../../shared/http'
import NumberField from '../../shared/NumberField.vue'
import { bare, clock, samples } from '../../shared/words'
import { RULES } from './choices'

/** Sounds that lie under bed and voice. */
defineProps<{ cut: CutView; busy: boolean; positionS: number }>()
const emit = defineEmits<{ levels: [change: Of<'levels'>]; bring: [file: File] }>()

const ambience = (sound: string, change: AmbienceChange) =>
  emit('levels', { about: 'levels', do: 'ambience', sound, ...change })
const bring: UploadProps['customRequest'] = ({ file }) => emit('bring', file as File)
</script>

<template>
  <section class="card">
    <h3>Ambiences</h3>
    <div v-for="one in cut.plan.ambiences" :key="one.hash" class="ambience" data-test="ambience">
      <b>{{ bare(one.name) }}</b>
      <button
        class="plain soft"
        :aria-label="`Take ${one.name} away`"
        @click="emit('levels', { about: 'levels', do: 'dropAmbience', sound: one.hash })"
      >
        take away
      </button>
      <a-select
        :value="one.rule"
        :options="RULES"
        size="small"
        :aria-label="`${one.name} while somebody speaks`"
        @change="(v) => ambience(one.hash, { rule: v as (typeof one)['rule'] })"
      />
      <span>
        <NumberField
          :value="one.underSpeechDb"
          within="byHandDb"
          label="Decibels under the voice"
          @set="(n) => ambience(one.hash, { underSpeechDb: n })"
        />
        dB
      </span>
      <span v-if="one.rule === 'low'" class="place">
        while somebody speaks lower by
        <NumberField
          :value="one.lowerDb"
          within="lowerDb"
          :label="`By how many dB ${one.name} sinks under speech`"
          data-test="ambience-lower"
          @set="(n) => ambience(one.hash, { lowerDb: n })"
        />
        dB
      </span>
      <span class="soft numbers place"
        >{{ clock(one.startS) }} to {{ clock(one.endS ?? cut.lengthS) }}
        <button
          class="plain"
          :disabled="busy || positionS >= (one.endS ?? cut.lengthS)"
          @click="
            ambience(one.hash, { startSamples: samples(positionS), endSamples: samples(one.endS ?? cut.lengthS) })
          "
        >
          from here
        </button>
        <button
          class="plain"
          :disabled="busy || positionS <= one.startS"
          @click="ambience(one.hash, { endSamples: samples(positionS) })"
        >
          until here
        </button>
      </span>
    </div>
    <p v-if="cut.plan.ambiences.length" class="soft">the rule is for while somebody speaks; dB under the voice</p>
    <a-upload :custom-request="bring" :show-upload-list="false" accept="audio/*">
      <span class="as-button" data-test="bring-ambience">bring one in</span>
    </a-upload>
  </section>
</template>

<style scoped>
.ambience {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 6px;
  align-items: center;
  margin-bottom: 6px;
}
.place {
  grid-column: 1 / -1;
}
</style>
