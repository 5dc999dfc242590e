<script setup lang="ts">
import { computed } from 'vue'
import type { CutView, Of } from '../../shared/http'
import { bare, clock, samples } from '../../shared/words'

/** Another bed from the playhead on. */
const props = defineProps<{ cut: CutView; busy: boolean; positionS: number }>()
const emit = defineEmits<{ say: [change: Of<'bed'>] }>()

const beds = computed(() =>
  props.cut.candidates.filter((one) => one.reading).map((one) => ({ value: one.hash, label: bare(one.name) })),
)
</script>

<template>
  <label v-if="beds.length" class="next soft"
    >from {{ clock(positionS, true) }} on
    <a-select
      :value="undefined"
      :options="beds"
      :disabled="busy || positionS <= 0"
      placeholder="another bed"
      title="Put the playhead where another bed is to begin."
      size="small"
      data-test="go-on"
      @change="
        (hash) => emit('say', { about: 'bed', do: 'goOnWith', sound: String(hash), atSamples: samples(positionS) })
      "
  /></label>
</template>

<style scoped>
.next {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-left: auto;
}
.next :deep(.ant-select) {
  width: 150px;
}
</style>
