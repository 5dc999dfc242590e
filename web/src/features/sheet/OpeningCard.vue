<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CutView, Figure, Of } from '../../shared/http'
import NumberField from '../../shared/NumberField.vue'
import { clock, samples } from '../../shared/words'
import { SLOPES } from './choices'

/** How the bed makes way for the first words, and comes back with the last. */
const props = defineProps<{ cut: CutView; busy: boolean; positionS: number }>()
const emit = defineEmits<{ levels: [change: Of<'levels'>]; voice: [change: Of<'voice'>] }>()

const shape = computed(() => props.cut.plan.shape)
const set = (figure: Figure) => emit('levels', { about: 'levels', do: 'figure', ...figure })

/** How a spoken show opens and closes, where somebody asks for it. */
const forms = computed(() => props.cut.plan.forms)
const aloneS = ref(Math.round((props.cut.plan.phrases[0]?.startS ?? 8) * 10) / 10)
type Entry = Extract<Of<'voice'>, { do: 'enter' }>['on']
const ENTRIES: { value: Entry; label: string }[] = [
  { value: 'there', label: 'then' },
  { value: 'downbeat', label: 'on the next downbeat' },
  { value: 'section', label: 'on the next section' },
]
const entry = ref<Entry>('downbeat')

/** Where the close begins to rise. */
const closesS = computed(() => {
  const last = props.cut.plan.phrases.at(-1)
  return shape.value.closing && last ? Math.max(0, last.endS - (shape.value.closing.underWordsS ?? 0)) : null
})
/** Places of the bed that it can close with. */
const sections = computed(() => [
  { value: '', label: 'the bed as it goes on' },
  ...(props.cut.bed?.reading?.sections ?? []).map(({ label, startS }) => ({
    value: String(startS),
    label: `${label} at ${clock(startS)} of the bed`,
  })),
])
const closesWith = computed(() => {
  const at = closesS.value
  const pin = props.cut.plan.wishes.pins.find((one) => at !== null && Math.abs(one.cutS - at) < 0.1)
  return sections.value.find(({ value }) => pin && value && Math.abs(Number(value) - pin.bedS) < 0.05)?.value ?? ''
})
function closeWith(bedS: number) {
  const places = { atSamples: samples(closesS.value ?? 0), bedSamples: samples(bedS) }
  emit('levels', { about: 'levels', do: 'riseFrom', ...places })
}
</script>

<template>
  <section class="card">
    <h3>Opening and closing</h3>
    <a-checkbox
      :checked="!!shape.opening"
      :disabled="busy"
      data-test="opening"
      @change="set({ figure: 'opening', value: shape.opening ? null : forms.opening })"
    >
      falls under the first words
    </a-checkbox>
    <template v-if="shape.opening">
      <p>
        over
        <NumberField
          :value="shape.opening.fallS"
          within="slopeS"
          :step="0.5"
          label="Seconds of the fall"
          @set="(n) => shape.opening && set({ figure: 'opening', value: { ...shape.opening, fallS: n } })"
        />
        s,
        <a-select
          :value="shape.opening.slope"
          :options="SLOPES"
          size="small"
          aria-label="How it falls"
          @change="
            (v) =>
              shape.opening &&
              set({ figure: 'opening', value: { ...shape.opening, slope: v as typeof shape.opening.slope } })
          "
        />
      </p>
      <p>
        the voice enters
        <a-select
          :value="shape.opening.enters"
          :options="forms.enters.map((one) => ({ value: one.value ?? 0, label: one.words }))"
          size="small"
          aria-label="Where the voice enters"
          @change="(v) => shape.opening && set({ figure: 'opening', value: { ...shape.opening, enters: Number(v) } })"
        />
      </p>
    </template>
    <p v-if="cut.plan.phrases.length">
      bed alone for
      <NumberField
        :value="aloneS"
        :min="0"
        :max="120"
        :step="0.5"
        label="Seconds of the bed alone"
        data-test="alone-s"
        @set="(n) => (aloneS = n)"
      />
      s, then the voice enters
      <a-select
        v-model:value="entry"
        :options="ENTRIES"
        size="small"
        aria-label="What the voice waits for"
        data-test="entry"
      />
      <button
        class="as-button"
        :disabled="busy"
        data-test="enter"
        title="Moves the whole voice"
        @click="emit('voice', { about: 'voice', do: 'enter', aloneSamples: samples(aloneS), on: entry })"
      >
        move the voice so
      </button>
    </p>
    <a-checkbox
      :checked="!!shape.closing"
      :disabled="busy"
      data-test="closing"
      @change="set({ figure: 'closing', value: shape.closing ? null : forms.closing })"
    >
      rises under the last words
    </a-checkbox>
    <p v-if="shape.closing">
      from
      <NumberField
        :value="shape.closing.underWordsS"
        within="slopeS"
        :step="0.5"
        label="Seconds before the end of the last words"
        data-test="under-words"
        @set="(n) => shape.closing && set({ figure: 'closing', value: { ...shape.closing, underWordsS: n } })"
      />
      s before their end, over
      <NumberField
        :value="shape.closing.riseS"
        within="slopeS"
        :step="0.5"
        label="Seconds of the rise"
        @set="(n) => shape.closing && set({ figure: 'closing', value: { ...shape.closing, riseS: n } })"
      />
      s,
      <a-select
        :value="shape.closing.slope"
        :options="SLOPES"
        size="small"
        aria-label="How it rises"
        @change="
          (v) =>
            shape.closing &&
            set({ figure: 'closing', value: { ...shape.closing, slope: v as typeof shape.closing.slope } })
        "
      />
      <button
        class="as-button"
        :disabled="busy || !(positionS > 0)"
        data-test="rise-from"
        @click="emit('levels', { about: 'levels', do: 'riseFrom', atSamples: samples(positionS) })"
      >
        from {{ clock(positionS, true) }} on
      </button>
      <template v-if="sections.length > 1 && closesS !== null"
        >with
        <a-select
          :value="closesWith"
          :options="sections"
          size="small"
          aria-label="The place of the bed that it closes with"
          data-test="close-with"
          @change="(v) => v !== '' && closeWith(Number(v))"
        />
      </template>
    </p>
  </section>
</template>
