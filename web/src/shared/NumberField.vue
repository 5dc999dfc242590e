<script setup lang="ts">
import { computed, onScopeDispose, ref, watch } from 'vue'
import { useLimits, type Limits } from './limits'
import { percentOf, typedNumber, type InPercent } from './typed'

defineOptions({ inheritAttrs: false })

/**
 * A number with its unit. It is said once: by Enter, by leaving the field, or by a step (ten at once with Shift). Escape gives
 * the old one back; one that is not allowed is refused aloud, never bent to one that is.
 */
const props = withDefaults(
  defineProps<{
    value: number | null | undefined
    label: string
    /** The figure that it is: what it may be is asked of the server. */
    within?: keyof Limits
    /** Bounds that only the page knows. */
    min?: number
    max?: number
    step?: number
    unit?: string
    placeholder?: string
    /** Whether it may be empty. */
    clears?: boolean
    disabled?: boolean
    /** Decibels that can be typed in percent as well, and are shown in it. */
    percent?: InPercent
  }>(),
  {
    within: undefined,
    min: -Infinity,
    max: Infinity,
    step: 1,
    unit: '',
    placeholder: '',
    clears: false,
    disabled: false,
    percent: undefined,
  },
)
const emit = defineEmits<{ set: [value: number]; clear: [] }>()

const limits = useLimits(() => !!props.within)
const bounds = computed(() => (props.within && limits.value?.[props.within]) || { from: props.min, to: props.max })

/** What was said since the field was entered: leaving it after Enter says nothing again. */
let said: number | undefined
const draft = ref<number | undefined>(props.value ?? undefined)
watch(
  () => props.value,
  (now) => {
    draft.value = now ?? undefined
    said = undefined
  },
)

function say() {
  const now = draft.value
  if (typeof now === 'number' && Number.isFinite(now)) {
    if (now < bounds.value.from || now > bounds.value.to) refuse(now)
    else if (now !== props.value && now !== said) {
      said = now
      emit('set', now)
    }
  } else if (props.clears && props.value != null) emit('clear')
  else giveBack()
}
/** What was refused and what is allowed, for as long as it takes to read it. */
const refused = ref('')
const TO_READ_MS = 5000
let over: ReturnType<typeof setTimeout> | undefined
onScopeDispose(() => clearTimeout(over))
function refuse(typed: number) {
  const unit = props.unit ? ` ${props.unit}` : ''
  refused.value = `${typed}${unit} is not possible: ${bounds.value.from} to ${bounds.value.to}${unit}.`
  clearTimeout(over)
  over = setTimeout(() => (refused.value = ''), TO_READ_MS)
  giveBack()
}
function giveBack() {
  draft.value = props.value ?? undefined
}
/** The arrows of the field, or of the keyboard, give the number after the step. */
function stepped(value: number | string) {
  draft.value = Math.min(bounds.value.to, Math.max(bounds.value.from, Number(value)))
  say()
}
</script>

<template>
  <span class="number-field">
    <a-input-number
      v-bind="$attrs"
      v-model:value="draft"
      :step="step"
      :parser="(text: string) => typedNumber(text, unit, percent)"
      :addon-after="unit || undefined"
      :placeholder="placeholder"
      :disabled="disabled"
      :aria-label="label"
      :aria-valuemin="Number.isFinite(bounds.from) ? bounds.from : undefined"
      :aria-valuemax="Number.isFinite(bounds.to) ? bounds.to : undefined"
      size="small"
      @press-enter="say"
      @keydown.esc.stop="giveBack"
      @focus="said = undefined"
      @blur="say"
      @step="stepped"
    />
    <small v-if="percent && value != null" class="soft share numbers" data-test="percent">
      dB, {{ percentOf(percent === 'under' ? -value : value) }}
    </small>
    <small v-if="refused" class="refused" role="alert">{{ refused }}</small>
  </span>
</template>

<style scoped>
.number-field {
  position: relative;
  display: inline-block;
}
.share {
  margin-left: 4px;
  font-size: inherit;
}
.refused {
  position: absolute;
  top: calc(100% + 2px);
  left: 0;
  z-index: 5;
  padding: 1px 6px;
  white-space: nowrap;
  color: var(--warn);
  background: var(--ground);
  border: 1px solid currentcolor;
}
</style>
