<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import type { Form, SoundForm } from '../../../shared/http'
import NumberField from '../../../shared/NumberField.vue'
import { clock, count, samples } from '../../../shared/words'
import GiveCard from '../../clients/GiveCard.vue'
import HandedList from '../../handing/HandedList.vue'
import { useHanded } from '../../handing/useHanded'
import { useFindings } from '../../checking/useFindings'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const { meters, openCount: looks } = useFindings(() => props.cut)
const { handed, ask, isMaking } = useHanded(() => props.cut)

const sound = reactive<SoundForm>({ coding: 'wav24', rateHz: 48_000, mono: false, loudnessLufs: null, limited: false })
/** What runs on behind the picture belongs to a file only where somebody asks for it. */
const tail = ref(false)
const withTail = computed(() => (tail.value && props.cut.tailS > 0 ? { withTail: true } : {}))
/** What is not asked for is not said: the same file is found again. */
const asked = computed(() => {
  const { limited, ...form } = sound
  return { ...form, ...(limited && { limited }), ...withTail.value }
})
const CODINGS = [
  { value: 'wav24', label: 'WAV, 24 bits' },
  { value: 'wav16', label: 'WAV, 16 bits, dithered' },
  { value: 'wav32', label: 'WAV, 32 bits floating point' },
  { value: 'broadcast', label: 'Broadcast Wave, with timecode' },
  { value: 'flac', label: 'FLAC' },
  { value: 'mp3', label: 'MP3, 320 kb/s' },
  { value: 'aac', label: 'AAC in M4A, 256 kb/s' },
  { value: 'opus', label: 'Opus, 160 kb/s' },
]
const RATES = computed(() =>
  [44_100, 48_000, 96_000].map((value) => ({
    value,
    label: `${value / 1000} kHz`,
    disabled: (sound.coding === 'opus' && value !== 48_000) || (sound.coding === 'mp3' && value > 48_000),
  })),
)
function setCoding(coding: SoundForm['coding']) {
  sound.coding = coding
  if (RATES.value.find((rate) => rate.value === sound.rateHz)?.disabled) sound.rateHz = 48_000
}
const loudnesses = computed(() => [
  ...props.cut.plan.loudnessChoices.map(({ words, value }) => ({ value: String(value ?? 'as-is'), label: words })),
  { value: 'own', label: 'a figure of your own' },
])
const loudness = ref('as-is')
function setLoudness(value: string) {
  loudness.value = value
  sound.loudnessLufs = value === 'as-is' ? null : value === 'own' ? (sound.loudnessLufs ?? -18) : Number(value)
}
const mix = computed<Form>(() => ({ what: 'mix', sound: asked.value }))

const passage = reactive({ fromS: 0, toS: 0, handlesS: 1, loops: false })
/** What a passage is until somebody says so: from the playhead on, ten seconds. */
const from = computed(() => Math.min(passage.fromS, props.cut.lengthS))
const to = computed(() => (passage.toS > from.value ? passage.toS : Math.min(props.cut.lengthS, from.value + 10)))
/** What holds any picture, but where the film is one of the others already. */
const CONTAINERS = ['mp4', 'mov', 'mkv'] as const
const ending = props.cut.film?.name.split('.').pop()?.toLowerCase()
const container = ref<(typeof CONTAINERS)[number]>(CONTAINERS.find((name) => name === ending) ?? 'mkv')
const keepsOldSound = ref(false)
const list = ref<'openTimelineIo' | 'cmx3600' | 'pieces' | 'levels' | 'midi'>('openTimelineIo')
const LISTS = [
  { value: 'openTimelineIo', label: 'OpenTimelineIO' },
  { value: 'cmx3600', label: 'CMX 3600' },
  { value: 'pieces', label: 'table of the pieces' },
  { value: 'levels', label: 'table of the levels' },
  { value: 'midi', label: 'bars and moments as MIDI' },
]
const sheet = ref<'page' | 'csv'>('page')
const report = ref<'page' | 'json'>('page')
const more = computed<{ name: string; about: string; form: Form }[]>(() => [
  {
    name: 'Everything in one',
    about: 'mix, stems, lists, cue sheet, report, with a list of all of it',
    form: { what: 'everything', sound: asked.value },
  },
  {
    name: 'Stems',
    about: 'each layer by itself, together they are the mix; WAV, 24 bits',
    form: { what: 'stems', ...withTail.value },
  },
  ...(props.cut.film
    ? [
        {
          name: 'The film with its sound',
          about: 'its picture copied as it is, the words as a text track',
          form: { what: 'film', container: container.value, keepsOldSound: keepsOldSound.value } as Form,
        },
      ]
    : []),
  {
    name: 'A passage of the mix',
    about: 'click a time and it becomes that of the playhead',
    form: {
      what: 'passage',
      sound: asked.value,
      startSamples: samples(from.value),
      endSamples: samples(to.value),
      handleSamples: passage.loops ? 0 : samples(passage.handlesS),
      ...(passage.loops && { loops: true }),
    },
  },
  { name: 'What was done', about: 'for another desk to go on with', form: { what: 'list', list: list.value } },
  {
    name: 'Music cue sheet',
    about: 'what music is heard where, by whom, by which right',
    form: { what: 'cueSheet', sheet: sheet.value },
  },
  {
    name: 'Report',
    about: 'what Check found, with its figures',
    form: { what: 'report', page: report.value === 'page' },
  },
  {
    name: 'The cut itself',
    about: 'with its history and all its sounds: for another machine, or as a backup',
    form: { what: 'cut' },
  },
])
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Hand over</h2>
      <span class="soft"
        >{{ cut.lengthTimecode }}, {{ samples(cut.lengthS - cut.tailS).toLocaleString('en') }} samples<template
          v-if="cut.tailS > 0"
          >, and {{ cut.tailS.toFixed(1) }} s behind the picture</template
        ></span
      >
    </header>
    <template v-if="cut.plan?.fittings.length">
      <p v-if="looks" class="warn">
        {{ count(looks, 'thing') }} to look at first: see
        <router-link :to="`/cuts/${cut.id}/check`">Check</router-link>.
      </p>
      <div class="card mix">
        <h3>The mix</h3>
        <div class="fields">
          <label
            >as
            <a-select
              :value="sound.coding"
              :options="CODINGS"
              size="small"
              class="wide"
              data-test="coding"
              @change="(value) => setCoding(value as SoundForm['coding'])"
          /></label>
          <label>at <a-select v-model:value="sound.rateHz" :options="RATES" size="small" data-test="rate" /></label>
          <label
            ><a-select
              :value="sound.mono ? 'mono' : 'stereo'"
              :options="[
                { value: 'stereo', label: 'stereo' },
                { value: 'mono', label: 'mono' },
              ]"
              size="small"
              aria-label="channels"
              @change="(value) => (sound.mono = value === 'mono')"
          /></label>
          <label
            >loudness
            <a-select
              :value="loudness"
              :options="loudnesses"
              size="small"
              class="wide"
              data-test="loudness"
              @change="(value) => setLoudness(value as string)"
          /></label>
          <NumberField
            v-if="loudness === 'own'"
            label="loudness"
            unit="LUFS"
            :value="sound.loudnessLufs"
            within="loudnessLufs"
            @set="(value) => (sound.loudnessLufs = value)"
          />
          <a-checkbox v-model:checked="sound.limited" data-test="limited">limit its peaks</a-checkbox>
        </div>
        <a-checkbox v-if="cut.tailS > 0" v-model:checked="tail" data-test="with-tail">
          with the {{ cut.tailS.toFixed(1) }} s that run on behind the picture
        </a-checkbox>
        <p v-if="sound.limited" class="soft">
          Peaks are held at −1 dBTP by a limiter, and nothing else is lowered for them; by how much it did is said
          beside the file.
        </p>
        <p
          v-else-if="meters?.onItsWayOut && sound.coding !== 'wav32' && sound.loudnessLufs == null"
          class="warn"
          data-test="lowered"
        >
          The mix peaks at {{ meters.truePeakDbtp?.toFixed(1) }} dBTP: on its way out it is {{ meters.onItsWayOut }}.
        </p>
        <p v-else-if="meters?.truePeakDbtp != null" class="soft">
          It peaks at {{ meters.truePeakDbtp.toFixed(1) }} dBTP; its level
          {{ sound.loudnessLufs == null ? 'stays' : 'follows the loudness, up to −1 dBTP' }}.
        </p>
        <a-button type="primary" :loading="isMaking(mix)" data-test="export" @click="ask(mix)">Save the mix</a-button>
      </div>
      <GiveCard :cut="cut" />
      <table class="more">
        <tbody>
          <tr v-for="entry in more" :key="entry.name">
            <td>
              <strong>{{ entry.name }}</strong>
              <div class="soft">{{ entry.about }}</div>
            </td>
            <td class="options">
              <template v-if="entry.form.what === 'film'">
                <a-select
                  v-model:value="container"
                  :options="CONTAINERS.map((value) => ({ value, label: value.toUpperCase() }))"
                  size="small"
                  aria-label="container"
                />
                <a-checkbox v-model:checked="keepsOldSound">old sound as a second track</a-checkbox>
              </template>
              <template v-else-if="entry.form.what === 'passage'">
                from
                <button
                  class="taken numbers"
                  title="Take the playhead"
                  @click="passage.fromS = listening.positionS.value"
                >
                  {{ clock(from, true) }}</button>to
                <button
                  class="taken numbers"
                  title="Take the playhead"
                  @click="passage.toS = listening.positionS.value"
                >
                  {{ clock(to, true) }}
                </button>
                <NumberField
                  v-if="!passage.loops"
                  style="width: 84px"
                  label="more on either side"
                  unit="s"
                  :value="passage.handlesS"
                  :min="0"
                  :max="60"
                  @set="(value) => (passage.handlesS = value)"
                />
                <span v-if="!passage.loops">more on either side</span>
                <a-checkbox v-model:checked="passage.loops" data-test="loops">goes round, in whole bars</a-checkbox>
              </template>
              <a-select
                v-else-if="entry.form.what === 'list'"
                v-model:value="list"
                :options="LISTS"
                size="small"
                class="wide"
                aria-label="kind of list"
                data-test="list"
              />
              <a-select
                v-else-if="entry.form.what === 'cueSheet'"
                v-model:value="sheet"
                :options="[
                  { value: 'page', label: 'page to print' },
                  { value: 'csv', label: 'table (CSV)' },
                ]"
                size="small"
                class="wide"
                aria-label="form of the cue sheet"
              />
              <a-select
                v-else-if="entry.form.what === 'report'"
                v-model:value="report"
                :options="[
                  { value: 'page', label: 'page to print' },
                  { value: 'json', label: 'JSON' },
                ]"
                size="small"
                class="wide"
                aria-label="form of the report"
              />
            </td>
            <td>
              <a-button
                size="small"
                :loading="isMaking(entry.form)"
                :data-test="`make-${entry.form.what}`"
                @click="ask(entry.form)"
                >Save</a-button
              >
            </td>
          </tr>
        </tbody>
      </table>
      <template v-if="handed.length">
        <h3>Handed over so far</h3>
        <HandedList :cut="cut" :handed="handed" />
      </template>
    </template>
    <a-empty v-else description="There is nothing to hand over yet. Bring in a bed first.">
      <router-link :to="`/cuts/${cut.id}/beds`">Bring in a bed</router-link>
    </a-empty>
  </section>
</template>

<style scoped>
/* A button stands within sight of what it saves. */
.mix,
.more {
  max-width: 1080px;
}
.mix {
  margin-bottom: 16px;
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  margin-bottom: 10px;
}
.wide {
  min-width: 190px;
}
.more {
  width: 100%;
  margin-bottom: 22px;
}
.more td {
  padding: 7px 14px 7px 0;
  vertical-align: middle;
  border-bottom: 1px solid var(--line);
}
.more td:last-child {
  text-align: right;
  padding-right: 0;
}
.options > * {
  margin-right: 10px;
}
.taken {
  border: 1px solid var(--line);
  border-radius: 4px;
  background: none;
  padding: 1px 8px;
  cursor: pointer;
}
</style>
