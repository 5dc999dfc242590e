<script setup lang="ts">
import type { UploadProps } from 'ant-design-vue'
import { computed } from 'vue'
import type { AmbienceChange, CutView, ShapeView } from '../../shared/http'
import { bare } from '../../shared/words'

/** The figures that every swell and dip follows, the ambiences, and the whole. */
const props = defineProps<{ cut: CutView; busy: boolean }>()
const emit = defineEmits<{
  shape: [shape: ShapeView]
  ambience: [index: number, change: AmbienceChange]
  dropAmbience: [index: number]
  bringAmbience: [file: File]
}>()

const shape = computed(() => props.cut.plan.shape)
const set = (change: Partial<ShapeView>) => emit('shape', { ...shape.value, ...change })
const number = (value: unknown, then: (n: number) => void) => {
  if (typeof value === 'number' && Number.isFinite(value)) then(value)
}
/** One knob for those who want one: bed under the voice and alone move together. */
const balance = (by: number) =>
  set({
    underSpeechDb: Math.min(40, Math.max(0, shape.value.underSpeechDb + by)),
    aloneDb: Math.min(40, Math.max(0, shape.value.aloneDb + by)),
  })

const POCKETS = [
  { value: 'none', label: 'no pocket' },
  { value: 'gentle', label: '−5.5 dB at 1.4 kHz, gentle' },
  { value: 'narrow', label: "−12 dB at the voice's own, narrow" },
]
const pocket = computed(() => (!shape.value.pocket ? 'none' : shape.value.pocket.centreHz ? 'gentle' : 'narrow'))
function setPocket(kind: unknown) {
  set({
    pocket:
      kind === 'none'
        ? null
        : kind === 'gentle'
          ? { depthDb: 5.5, q: 1.4, centreHz: 1400 }
          : { depthDb: 12, q: 4, centreHz: null },
  })
}
const TARGETS = [
  { value: 0, label: 'as it is' },
  { value: -23, label: '−23 LUFS, broadcast' },
  { value: -16, label: '−16 LUFS, spoken online' },
  { value: -14, label: '−14 LUFS, music online' },
]
const RULES = [
  { value: 'out', label: 'out' },
  { value: 'low', label: 'low' },
  { value: 'onlyUnder', label: 'only then' },
  { value: 'untouched', label: 'untouched' },
]
const bring: UploadProps['customRequest'] = ({ file }) => emit('bringAmbience', file as File)
</script>

<template>
  <aside class="figures" aria-label="Figures of the whole">
    <section class="card">
      <h3>Bed and voice</h3>
      <p>
        under the voice
        <a-input-number
          :value="shape.underSpeechDb"
          :min="0"
          :max="40"
          size="small"
          aria-label="Bed under the voice, dB"
          data-test="under-speech"
          @change="(v) => number(v, (n) => set({ underSpeechDb: n }))"
        />
        dB
      </p>
      <p>
        alone
        <a-input-number
          :value="shape.aloneDb"
          :min="0"
          :max="40"
          size="small"
          aria-label="Bed alone, dB"
          data-test="alone"
          @change="(v) => number(v, (n) => set({ aloneDb: n }))"
        />
        dB
      </p>
      <p>
        <span class="soft">balance</span>
        <button class="plain" :disabled="busy" data-test="more-voice" @click="balance(1)">
          more voice <kbd>[</kbd>
        </button>
        <button class="plain" :disabled="busy" @click="balance(-1)">more bed <kbd>]</kbd></button>
      </p>
      <p>
        eases in
        <a-input-number
          :value="shape.easeS"
          :min="0.1"
          :max="10"
          :step="0.1"
          size="small"
          aria-label="Seconds of a rise or fall"
          @change="(v) => number(v, (n) => set({ easeS: n }))"
        />
        s
      </p>
      <p>
        gaps from
        <a-input-number
          :value="shape.leastGapS"
          :min="0"
          :max="60"
          :step="0.1"
          size="small"
          aria-label="Least gap that gets a swell, seconds"
          @change="(v) => number(v, (n) => set({ leastGapS: n }))"
        />
        s get a swell
      </p>
      <a-checkbox
        :checked="shape.evenVoice"
        :disabled="busy"
        data-test="even-voice"
        @change="set({ evenVoice: !shape.evenVoice })"
      >
        even the phrases out
      </a-checkbox>
    </section>
    <section class="card">
      <h3>Pocket for the voice</h3>
      <a-select
        :value="pocket"
        :options="POCKETS"
        size="small"
        class="wide"
        aria-label="Pocket"
        data-test="pocket"
        @change="setPocket"
      />
      <p v-if="cut.plan.pocketHz" class="soft numbers">
        at {{ Math.round(cut.plan.pocketHz) }} Hz, while somebody speaks
      </p>
    </section>
    <section class="card">
      <h3>Ambiences</h3>
      <div v-for="(one, k) in cut.plan.ambiences" :key="one.name" class="ambience" data-test="ambience">
        <b>{{ bare(one.name) }}</b>
        <button class="plain soft" :aria-label="`Take ${one.name} away`" @click="emit('dropAmbience', k)">
          take away
        </button>
        <a-select
          :value="one.rule"
          :options="RULES"
          size="small"
          :aria-label="`${one.name} while somebody speaks`"
          @change="(v) => emit('ambience', k, { rule: v as (typeof one)['rule'] })"
        />
        <span>
          <a-input-number
            :value="one.underSpeechDb"
            :min="0"
            :max="60"
            size="small"
            aria-label="Decibels under the voice"
            @change="(v) => number(v, (n) => emit('ambience', k, { underSpeechDb: n }))"
          />
          dB
        </span>
      </div>
      <p v-if="cut.plan.ambiences.length" class="soft">the rule is for while somebody speaks; dB under the voice</p>
      <a-upload :custom-request="bring" :show-upload-list="false" accept="audio/*">
        <button class="plain" data-test="bring-ambience">bring one in</button>
      </a-upload>
    </section>
    <section class="card">
      <h3>The whole</h3>
      <a-select
        :value="shape.targetLufs ?? 0"
        :options="TARGETS"
        size="small"
        class="wide"
        aria-label="Loudness of the whole"
        data-test="target"
        @change="(v) => set({ targetLufs: v === 0 ? null : (v as number) })"
      />
      <p v-if="cut.plan.masterGainDb != null" class="soft numbers">
        {{ cut.plan.masterGainDb >= 0 ? '+' : '−' }}{{ Math.abs(cut.plan.masterGainDb).toFixed(1) }} dB
      </p>
      <p v-if="cut.plan.heldBackDb" class="warn">
        The guard against peaks held {{ cut.plan.heldBackDb.toFixed(1) }} dB back: nothing goes over −1 dBTP.
      </p>
    </section>
  </aside>
</template>

<style scoped>
.figures {
  width: 244px;
  flex: none;
  overflow: hidden auto;
  padding: 0 10px 12px 0;
}
.card {
  padding: 9px 12px;
  margin-bottom: 8px;
}
.card h3 {
  margin: 0 0 4px;
}
.card p {
  margin: 3px 0;
}
.card :deep(.ant-input-number) {
  width: 62px;
}
.wide {
  width: 100%;
}
.ambience {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 6px;
  align-items: center;
  margin-bottom: 6px;
}
</style>
