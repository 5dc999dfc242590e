<script setup lang="ts">
import { computed, h, ref } from 'vue'
import { message } from 'ant-design-vue'
import type { FamilyCutView, Form } from '../../../shared/http'
import { bare, clock, count } from '../../../shared/words'
import { fileOf } from '../../handing/useHanded'
import FamilyMap from '../../lengths/FamilyMap.vue'
import { useFamily } from '../../lengths/useFamily'
import type { StepProps } from './props'
import { wordsOf } from '../../../shared/i18n'

const props = defineProps<StepProps>()
const { family, asking, busy, isWanted, make, follow, handOver, takeAway, bringBack } = useFamily(
  () => props.cut.id,
  () => `${props.cut.plan.revision} ${props.cut.jobs.length}`,
)
const first = computed(() => family.value[0])
const longestS = computed(() => Math.max(...family.value.map((cut) => cut.lengthS), 0))
const behind = computed(() => family.value.filter((cut) => cut.isBehind))

/** Lengths in which spots are usually ordered, in seconds (common practice). */
const USUAL_S = [60, 30, 20, 15, 10, 6]
const usual = computed(() =>
  USUAL_S.filter(
    (s) => first.value && s < first.value.lengthS && !family.value.some((cut) => Math.abs(cut.lengthS - s) < 0.05),
  ),
)
const typed = ref<string | null>(null)
const text = computed(() => typed.value ?? usual.value.join('  '))
/** Commas may be decimal ones: only what stands apart is a length of its own. */
const lengths = computed(() => text.value.split(/[\s;]+|,\s/).filter(Boolean))
async function makeThem() {
  if (lengths.value.length && (await make(lengths.value))) typed.value = null
}

const FORMS: { value: string; label: string; form: Form }[] = [
  {
    value: 'mix',
    label: 'the mix, WAV, 24 bits',
    form: { what: 'mix', sound: { coding: 'wav24', rateHz: 48_000, mono: false, loudnessLufs: null } },
  },
  {
    value: 'everything',
    label: 'everything in one',
    form: { what: 'everything', sound: { coding: 'wav24', rateHz: 48_000, mono: false, loudnessLufs: null } },
  },
]
const form = ref('mix')
const handAll = () => handOver(FORMS.find((one) => one.value === form.value)!.form)

function state(cut: FamilyCutView): string {
  if (cut.works && !cut.fitting) return 'being fitted …'
  if (!cut.fitting) return cut.bed ? 'not fitted yet' : 'no bed yet'
  const { splices, worst } = cut.fitting
  if (!splices.length) return 'no splice'
  return `${count(splices.length, 'splice')}, ${splices.length > 1 ? 'the worst ' : ''}${worst} of 100 hard to hear`
}
async function remove(cut: FamilyCutView) {
  if (!(await takeAway(cut))) return
  const key = `away-${cut.id}`
  const back = () => {
    message.destroy(key)
    void bringBack(cut.id)
  }
  const content = h('span', [
    `"${cut.title}" was taken away. `,
    h('button', { class: 'plain', 'data-test': 'bring-back', onClick: back }, 'Bring it back'),
  ])
  message.info({ content, key, duration: 12 })
}
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Several lengths</h2>
      <span class="soft">each a cut of its own, begun from the same bed, its readings and your figures</span>
    </header>
    <template v-if="first?.bed">
      <form class="make" @submit.prevent="makeThem">
        <label for="lengths">Lengths to make</label>
        <a-input
          id="lengths"
          :value="text"
          size="small"
          placeholder="30  15  0:06"
          data-test="lengths"
          @update:value="(value: string) => (typed = value)"
        />
        <a-button
          type="primary"
          html-type="submit"
          :loading="asking"
          :disabled="!lengths.length"
          data-test="make-lengths"
          >Make {{ lengths.length ? count(lengths.length, 'version') : 'versions' }}</a-button
        >
        <span class="soft">seconds, minutes and seconds, or timecode</span>
      </form>
      <p v-if="behind.length" class="behind" data-test="behind">
        "{{ first.title }}" has changed since {{ count(behind.length, 'version') }} began.
        <a-button size="small" :loading="asking" data-test="follow-all" @click="follow(behind)"
          >Take that over into {{ behind.length > 1 ? 'all of them' : 'it' }}</a-button
        >
      </p>
      <ol class="family">
        <li v-for="cut in family" :key="cut.id" data-test="version" :class="{ open: cut.id === props.cut.id }">
          <div class="who">
            <h3 class="numbers">{{ clock(cut.lengthS, cut.lengthS % 1 > 0.05) }}</h3>
            <span class="soft numbers">{{ cut.lengthTimecode }}</span>
            <router-link v-if="cut.id !== props.cut.id" :to="`/cuts/${cut.id}/fit`" data-test="open-version"
              >Open</router-link
            >
            <span v-else class="soft">open here</span>
            <button v-if="cut.isVersion && cut.id !== props.cut.id" class="plain" @click="remove(cut)">
              take away
            </button>
          </div>
          <div class="what">
            <FamilyMap :cut="cut" :longest-s="longestS" />
            <p>
              <b v-if="cut.fitting">{{ wordsOf(cut.fitting.name) }}</b><template v-if="cut.fitting">: </template
              >{{ state(cut)
              }}<template v-if="cut.fitting"
                >;
                <router-link :to="`/cuts/${cut.id}/check`" :class="{ warn: cut.looks > 0 }">{{
                  cut.looks ? `${cut.looks} to look at` : 'nothing to look at'
                }}</router-link></template
              >
            </p>
            <p v-if="cut.problem" class="warn">That did not work: {{ cut.problem }}</p>
            <p v-if="cut.leftOut.length" class="soft" data-test="left-out">
              Not taken over: {{ cut.leftOut.map(wordsOf).join(', ') }}.
            </p>
            <p v-if="cut.isBehind" class="warn">
              "{{ first.title }}" has changed since.
              <button class="plain" data-test="follow" @click="follow([cut])">Take that over</button>
            </p>
          </div>
          <div class="file">
            <span v-if="isWanted(cut)" class="soft" role="status">being written …</span>
            <template v-else-if="cut.handed">
              <a :href="fileOf(cut.id, cut.handed)" download data-test="save-version">Save {{ cut.handed.name }}</a>
              <span v-if="cut.handed.revision !== cut.revision" class="warn">changed since</span>
            </template>
          </div>
        </li>
      </ol>
      <div v-if="family.length > 1" class="all">
        Hand over of each
        <a-select v-model:value="form" :options="FORMS" size="small" aria-label="what to hand over" class="form" />
        <a-button :loading="asking" :disabled="busy" data-test="hand-all" @click="handAll"
          >Hand over all {{ family.length }}</a-button
        >
      </div>
      <p v-else class="soft">
        Each version gets {{ bare(first.bed) }} re-cut to its own length, with the bed's own ending where that fits.
        What belongs to this picture alone is left out and named.
      </p>
    </template>
    <a-empty v-else-if="first" description="There is no bed yet that could be cut to several lengths.">
      <router-link :to="`/cuts/${cut.id}/beds`">Bring in a bed</router-link>
    </a-empty>
    <p v-else class="soft" role="status">Looking for its versions …</p>
  </section>
</template>

<style scoped>
.make,
.all {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 10px;
  margin-bottom: 14px;
}
.make input {
  width: 220px;
}
.form {
  min-width: 190px;
}
.behind {
  color: var(--warn);
}
.family {
  list-style: none;
  padding: 0;
  margin: 0 0 14px;
}
.family li {
  display: grid;
  grid-template-columns: 112px minmax(0, 1fr) 190px;
  gap: 16px;
  padding: 12px 0 8px;
  border-top: 1px solid var(--line);
}
.who {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 2px;
}
.who h3 {
  font-family: var(--serif);
  font-size: 26px;
  line-height: 1;
  margin: 0;
}
.who .plain {
  padding-left: 0;
}
.what p {
  margin: 2px 0;
}
.file {
  overflow-wrap: anywhere;
  display: flex;
  flex-direction: column;
}
@media (max-width: 1000px) {
  .family li {
    grid-template-columns: 90px minmax(0, 1fr);
  }
  .file {
    grid-column: 2;
  }
}
</style>
