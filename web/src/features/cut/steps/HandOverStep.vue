<script setup lang="ts">
import { computed } from 'vue'
import { count } from '../../../shared/words'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const looks = computed(() => props.cut.plan?.findings.filter((finding) => finding.needsLook).length ?? 0)
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Hand over</h2>
      <span class="soft">the finished sound</span>
    </header>
    <div v-if="cut.plan?.fittings.length" class="card mix">
      <h3>The mix</h3>
      <dl class="facts">
        <dt>length</dt>
        <dd class="numbers">{{ cut.lengthTimecode }}, {{ cut.plan.lengthSamples.toLocaleString('en') }} samples</dd>
        <dt>form</dt>
        <dd>WAV, 48 kHz, 24 bits, stereo</dd>
        <dt>plan</dt>
        <dd>revision {{ cut.plan.revision }}: {{ cut.plan.what }}</dd>
      </dl>
      <p v-if="looks" class="warn">
        {{ count(looks, 'thing') }} to look at first: see
        <router-link :to="`/cuts/${cut.id}/check`">Check</router-link>.
      </p>
      <a-button
        type="primary"
        :href="`/api/cuts/${cut.id}/revisions/${cut.plan.revision}/mix.wav`"
        download
        data-test="export"
        >Save the mix as WAV</a-button
      >
    </div>
    <a-empty v-else description="There is nothing to hand over yet. Bring in a bed first.">
      <router-link :to="`/cuts/${cut.id}/beds`">Bring in a bed</router-link>
    </a-empty>
  </section>
</template>

<style scoped>
.mix {
  max-width: 520px;
}
.mix .ant-btn {
  margin-top: 14px;
}
</style>
