<script setup lang="ts">
import { computed } from 'vue'
import { clock } from '../../../shared/words'
import LoudnessView from '../../checking/LoudnessView.vue'
import { useMeters } from '../../listening/useMeters'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const meters = useMeters(() => props.cut)
const findings = computed(() =>
  [...props.cut.plan.findings, ...(meters.value?.findings ?? [])].sort(
    (a, b) => Number(b.needsLook) - Number(a.needsLook) || a.atS - b.atS,
  ),
)
const lookedAt = computed(() => [...props.cut.plan.lookedAt, ...(meters.value?.lookedAt ?? [])])
const figure = (value: number | null | undefined, unit: string) =>
  value == null ? '' : `${value.toFixed(1).replace('-', '−')} ${unit}`
/** Under how many phrases the bed lies as asked, within a decibel. */
const held = computed(() => {
  const asked = meters.value?.phrases.filter((phrase) => phrase.askedDb != null && phrase.bedUnderDb != null) ?? []
  const near = asked.filter((phrase) => Math.abs(phrase.askedDb! - phrase.bedUnderDb!) <= 1)
  return asked.length ? `${near.length} of ${asked.length}` : ''
})
const before = (seconds: number) => Math.max(0, seconds - 2)
function hear(seconds: number) {
  props.listening.seek(before(seconds))
  if (!props.listening.playing.value) props.listening.toggle()
}
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Check</h2>
      <span class="soft">what to look at before handing over</span>
    </header>
    <p v-if="!cut.plan" class="soft">There is no plan to check yet.</p>
    <template v-else>
      <template v-if="meters">
        <LoudnessView
          :cut="cut"
          :meters="meters"
          :findings="findings"
          :position-s="listening.positionS.value"
          @seek="listening.seek"
        />
        <dl class="figures">
          <div>
            <dt>loudness</dt>
            <dd class="numbers">{{ figure(meters.integratedLufs, 'LUFS') }}</dd>
          </div>
          <div>
            <dt>range</dt>
            <dd class="numbers">{{ figure(meters.rangeLu, 'LU') }}</dd>
          </div>
          <div>
            <dt>true peak</dt>
            <dd class="numbers">{{ figure(meters.truePeakDbtp, 'dBTP') }}</dd>
          </div>
          <div v-if="held">
            <dt>bed as asked under phrases, within 1 dB</dt>
            <dd class="numbers">{{ held }}</dd>
          </div>
        </dl>
      </template>
      <p v-else-if="cut.plan.fittings.length" class="soft" role="status">The mix is being measured …</p>
      <template v-if="!findings.length">
        <p data-test="all-well">
          {{
            meters ? 'All well: nothing was found that needs a look.' : 'Nothing was found so far that needs a look.'
          }}
        </p>
        <router-link :to="`/cuts/${cut.id}/hand-over`" class="on">Hand over</router-link>
      </template>
      <table v-else data-test="findings">
        <tbody>
          <tr v-for="(finding, k) in findings" :key="k">
            <td :class="finding.needsLook ? 'warn' : 'soft'">{{ finding.needsLook ? 'look' : 'note' }}</td>
            <td class="numbers">{{ clock(finding.atS, true) }}</td>
            <td>
              {{ finding.text }} <span class="soft">{{ finding.mend }}</span>
            </td>
            <td class="ways">
              <button class="plain" @click="listening.seek(before(finding.atS))">go there</button>
              <button class="plain" @click="hear(finding.atS)">hear it</button>
            </td>
          </tr>
        </tbody>
      </table>
      <details :open="!findings.length">
        <summary class="soft">What is looked at</summary>
        <ul>
          <li v-for="rule in lookedAt" :key="rule">{{ rule }}</li>
        </ul>
      </details>
    </template>
  </section>
</template>

<style scoped>
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 34px;
  margin: 0 0 16px;
}
.figures dt {
  color: var(--soft);
  font-size: 12px;
}
.figures dd {
  margin: 0;
  font-size: 17px;
}
details {
  margin-top: 18px;
}
summary {
  cursor: pointer;
}
ul {
  list-style: '✓  ';
  padding-left: 20px;
  color: var(--soft);
}
li {
  padding: 3px 0;
}
.on {
  text-decoration: underline;
}
td {
  padding: 6px 16px 6px 0;
  vertical-align: top;
}
.ways {
  white-space: nowrap;
}
</style>
