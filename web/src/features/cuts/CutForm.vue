<script setup lang="ts">
import { RATES, rateOf, type CutFormValue } from './rates'

const value = defineModel<CutFormValue>({ required: true })
defineProps<{ action: string; busy: boolean }>()
const emit = defineEmits<{ submit: [body: { title: string; length: string; rate: ReturnType<typeof rateOf> }] }>()

function submit() {
  emit('submit', { title: value.value.title, length: value.value.length, rate: rateOf(value.value.rate) })
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
      extra="00:01:30:00, 1:30 or 90 seconds"
    >
      <a-input v-model:value="value.length" data-test="length-input" />
    </a-form-item>
    <a-form-item label="Frames a second">
      <a-select
        v-model:value="value.rate"
        :options="RATES.map((rate) => ({ value: rate.key, label: rate.label }))"
        data-test="rate-input"
      />
    </a-form-item>
    <a-button type="primary" html-type="submit" :loading="busy" data-test="submit-cut">{{ action }}</a-button>
  </a-form>
</template>
