<script setup lang="ts">
import { computed } from 'vue'
import type { CutView, Of } from '../../shared/http'
import NumberField from '../../shared/NumberField.vue'
import { bare, clock, samples } from '../../shared/words'

/** The beds of the cut, one after another: which is at hand, where each begins, and what comes next. */
const props = defineProps<{ cut: CutView; busy: boolean }>()
const emit = defineEmits<{ say: [change: Of<'bed'>] }>()
const handOver = (fromS: number, atS: number, lengthS: number) => {
  const [fromSamples, atSamples, lengthSamples] = [samples(fromS), samples(atS), samples(lengthS)]
  emit('say', { about: 'bed', do: 'moveHandover', fromSamples, atSamples, lengthSamples })
}

const parts = computed(() => props.cut.plan.parts)
</script>

<template>
  <div v-if="parts.length > 1" class="parts" role="group" aria-label="Beds, one after another">
    <span v-for="(part, index) in parts" :key="index" class="part" :class="{ hand: part.atHand }" data-test="part">
      <span v-if="index" class="soft handover"
        >hands over at
        <NumberField
          :value="Math.round(part.handoverAtS * 10) / 10"
          :min="0"
          :max="86400"
          :step="0.5"
          unit="s"
          :label="`Handover to ${part.name}`"
          @set="(n) => handOver(part.startS, n, part.handoverS)"
        />
        over
        <NumberField
          :value="Math.round(part.handoverS * 10) / 10"
          within="handoverS"
          :step="0.5"
          unit="s"
          :label="`Length of the handover to ${part.name}`"
          @set="(n) => handOver(part.startS, part.handoverAtS, n)"
        />
      </span>
      <button
        class="plain name"
        :aria-pressed="part.atHand"
        :disabled="busy"
        @click="emit('say', { about: 'bed', do: 'takeToHand', fromSamples: samples(part.startS) })"
      >
        {{ bare(part.name) }}
      </button>
      <span class="numbers soft">{{ clock(part.startS) }} to {{ clock(part.endS) }}</span>
      <button
        class="plain soft"
        :disabled="busy"
        :aria-label="`Take ${part.name} off`"
        @click="emit('say', { about: 'bed', do: 'takeOff', fromSamples: samples(part.startS) })"
      >
        take off
      </button>
    </span>
  </div>
</template>

<style scoped>
.parts {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: center;
  margin-bottom: 4px;
}
.part {
  display: flex;
  gap: 6px;
  align-items: center;
}
.part.hand .name {
  font-weight: 700;
  text-decoration: underline;
}
.handover :deep(.ant-input-number-group-wrapper) {
  width: 84px;
}
</style>
