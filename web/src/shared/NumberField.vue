<script setup lang="ts">
import { ref, watch } from 'vue'

/** A number with its unit. It is said once: by Enter, by leaving the field, or by a step. */
const props = withDefaults(
  defineProps<{
    value: number | null | undefined
    label: string
    min: number
    max: number
    step?: number
    unit?: string
    placeholder?: string
    /** Whether it may be empty. */
    clears?: boolean
    disabled?: boolean
  }>(),
  { step: 1, unit: '', placeholder: '', clears: false, disabled: false },
)
const emit = defineEmits<{ set: [value: number]; clear: [] }>()

const draft = ref<number | undefined>(props.value ?? undefined)
watch(
  () => props.value,
  (now) => (draft.value = now ?? undefined),
)

function say() {
  const now = draft.value
  if (typeof now === 'number' && Number.isFinite(now)) {
    if (now !== props.value) emit('set', now)
  } else if (props.clears && props.value != null) emit('clear')
  else draft.value = props.value ?? undefined
}
/** The arrows of the field, or of the keyboard, give the number after the step. */
function stepped(value: number | string) {
  draft.value = Number(value)
  say()
}
</script>

<template>
  <a-input-number
    v-model:value="draft"
    :min="min"
    :max="max"
    :step="step"
    :addon-after="unit || undefined"
    :placeholder="placeholder"
    :disabled="disabled"
    :aria-label="label"
    size="small"
    @press-enter="say"
    @blur="say"
    @step="stepped"
  />
</template>
