<script setup lang="ts">
import { clock } from '../../../shared/words'
import type { StepProps } from './props'

defineProps<StepProps>()
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Check</h2>
      <span class="soft">what to look at before handing over</span>
    </header>
    <p v-if="!cut.plan" class="soft">There is no plan to check yet.</p>
    <template v-else-if="!cut.plan.findings.length">
      <p data-test="all-well">All well: nothing was found that needs a look.</p>
      <ul>
        <li v-for="rule in cut.plan.lookedAt" :key="rule">{{ rule }}</li>
      </ul>
      <router-link :to="`/cuts/${cut.id}/hand-over`">Hand over</router-link>
    </template>
    <table v-else>
      <tbody>
        <tr v-for="(finding, k) in cut.plan.findings" :key="k">
          <td :class="finding.needsLook ? 'warn' : 'soft'">{{ finding.needsLook ? 'look' : 'note' }}</td>
          <td class="numbers">{{ clock(finding.atS, true) }}</td>
          <td>
            {{ finding.text }} <span class="soft">{{ finding.mend }}</span>
          </td>
          <td><button class="plain" @click="listening.seek(Math.max(0, finding.atS - 2))">go there</button></td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
ul {
  list-style: '✓  ';
  padding-left: 20px;
  color: var(--soft);
}
li {
  padding: 3px 0;
}
a {
  text-decoration: underline;
}
td {
  padding: 6px 16px 6px 0;
  vertical-align: top;
}
</style>
