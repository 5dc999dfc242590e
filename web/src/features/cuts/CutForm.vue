<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed } from 'vue'
import { answer, server, type Description } from '../../shared/http'
import { useAnswer } from '../../shared/query'
import { askOf, useRates, type CutFormValue } from './rates'

const value = defineModel<CutFormValue>({ required: true })
/** `brief` asks only for what a cut cannot do without. */
defineProps<{ action: string; busy: boolean; brief?: boolean }>()
const rates = useRates()
const emit = defineEmits<{ submit: [body: Description] }>()

/** What the length that is typed means, with what was rounded. */
const typed = computed(() => {
  const { length, rate } = askOf(value.value)
  return length.trim() ? { text: length, num: rate.num, den: rate.den, dropFrame: rate.dropFrame } : null
})
const asked = refDebounced(typed, 250)
const { data: found } = useAnswer(
  () => asked.value && ['lengths', asked.value],
  (signal) => answer(server.GET('/api/lengths', { params: { query: asked.value! }, signal })),
  { isForEver: true, toldBeside: true },
)
const means = computed(() => {
  // What is said belongs to what is typed, not to what stood there before.
  if (!found.value || typed.value?.text !== asked.value?.text) return ''
  const { timecode, frames, roundedByS } = found.value
  const ms = roundedByS ? Math.round(roundedByS * 1000) : 0
  const rounded = roundedByS ? `: rounded to whole frames, ${Math.abs(ms)} ms ${ms < 0 ? 'less' : 'more'}` : ''
  return `${timecode}, ${frames} frames${rounded}`
})

function submit() {
  emit('submit', askOf(value.value))
}
</script>

<template>
  <a-form layout="vertical" :required-mark="false" class="card" :model="value" @finish="submit">
    <a-form-item label="Title" name="title" :rules="[{ required: true, message: 'Give the cut a title.' }]">
      <a-input v-model:value="value.title" :maxlength="200" data-test="title-input" />
    </a-form-item>
    <a-form-item
      label="Length"
      name="length"
      :rules="[{ required: true, message: 'Say how long the cut is.' }]"
      :extra="means || '00:01:30:00, 1:30 or 90 seconds'"
    >
      <a-input v-model:value="value.length" data-test="length-input" />
    </a-form-item>
    <a-form-item label="Frames a second">
      <a-select v-model:value="value.rate" aria-label="Frames a second" :options="rates" data-test="rate-input" />
    </a-form-item>
    <a-form-item v-if="!brief" label="First timecode">
      <a-input v-model:value="value.firstTimecode" placeholder="00:00:00:00" data-test="first-timecode-input" />
    </a-form-item>
    <a-form-item v-if="!brief">
      <a-checkbox v-model:checked="value.commercial" data-test="commercial-input">money is earned with it</a-checkbox>
      <br />
      <a-checkbox v-model:checked="value.paidPlan">we have a paid plan for music</a-checkbox>
    </a-form-item>
    <a-button type="primary" html-type="submit" :loading="busy" data-test="submit-cut">{{ action }}</a-button>
  </a-form>
</template>
