<script setup lang="ts">
import { useStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useKeys } from '../../../shared/keys'
import { clock } from '../../../shared/words'
import RemarkList from '../../clients/RemarkList.vue'
import { setDone } from '../../clients/remarks'
import LoudnessView from '../../checking/LoudnessView.vue'
import { useFindings, type Finding } from '../../checking/useFindings'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const { meters, findings, openCount, acceptedBy } = useFindings(() => props.cut)
/** What the key mends: the first that can be mended at once. */
const first = computed(() => findings.value.find((finding) => finding.remedy && !acceptedBy(finding)))
const busy = ref(false)
async function mend(finding: Finding | undefined) {
  if (!finding?.remedy || busy.value) return
  busy.value = true
  await props.actions.say(finding.remedy.change)
  busy.value = false
}
useKeys('Check', [
  { key: 'm', shown: 'M', what: 'mend the first thing that can be mended at once', act: () => void mend(first.value) },
])
/** Who looks: it stands beside what is accepted, and is known here the next time. */
const name = useStorage('jaunty-bar-name', '')
const nameField = ref<{ focus: () => void }>()
const nameless = ref(false)
async function accept(finding: Finding) {
  nameless.value = !name.value.trim()
  if (nameless.value) return nameField.value?.focus()
  await props.actions.say({ about: 'check', do: 'accept', finding: finding.key, by: name.value })
}
const reopen = (finding: Finding) => props.actions.say({ about: 'check', do: 'reopen', finding: finding.key })
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
      <label v-if="findings.length" class="name soft"
        ><span v-if="nameless && !name.trim()" class="warn" role="status"
          >Write your name first: it stands beside it.</span
        >
        looked at by
        <a-input
          ref="nameField"
          v-model:value="name"
          size="small"
          :maxlength="80"
          placeholder="your name"
          data-test="name"
      /></label>
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
      <p v-if="findings.length && !openCount" data-test="none-open">
        Nothing needs a look any more.
        <router-link :to="`/cuts/${cut.id}/hand-over`" class="on">Hand over</router-link>
      </p>
      <table v-if="findings.length" data-test="findings">
        <tbody>
          <tr v-for="finding in findings" :key="finding.key" :class="{ accepted: acceptedBy(finding) }">
            <td :class="finding.needsLook && !acceptedBy(finding) ? 'warn' : 'soft'">
              {{ acceptedBy(finding) ? 'accepted' : finding.needsLook ? 'look' : 'note' }}
            </td>
            <td class="numbers">{{ clock(finding.atS, true) }}</td>
            <td>
              {{ finding.text }}
              <span class="soft">{{ acceptedBy(finding) ? `Accepted by ${acceptedBy(finding)}.` : finding.mend }}</span>
              <div v-if="finding.remedy && !acceptedBy(finding)">
                <a-button size="small" :disabled="busy" data-test="mend" @click="mend(finding)"
                  >{{ finding.remedy.words[0]?.toUpperCase() }}{{ finding.remedy.words.slice(1) }}
                  <kbd v-if="finding === first">M</kbd></a-button
                >
              </div>
            </td>
            <td class="ways">
              <button class="plain" @click="listening.seek(before(finding.atS))">go there</button>
              <button class="plain" @click="hear(finding.atS)">hear it</button>
              <button v-if="acceptedBy(finding)" class="plain" data-test="reopen" @click="reopen(finding)">
                look again
              </button>
              <button v-else-if="finding.needsLook" class="plain" data-test="accept" @click="accept(finding)">
                accept it
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <section v-if="cut.remarks.length" class="said">
        <h3>What listeners said</h3>
        <RemarkList
          :remarks="cut.remarks"
          may-mend
          @seek="(s) => listening.seek(before(s))"
          @done="(remark, done) => setDone(cut.id, remark, done)"
        />
      </section>
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
.said {
  max-width: 760px;
  margin-top: 22px;
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
.name {
  margin-left: auto;
}
.name input {
  width: 150px;
}
.accepted {
  color: var(--soft);
}
</style>
