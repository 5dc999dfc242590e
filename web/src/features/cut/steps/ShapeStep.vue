<script setup lang="ts">
import { computed, onUnmounted, ref, watch } from 'vue'
import { useKeys } from '../../../shared/keys'
import type { LaneView } from '../../../drawing/lanes'
import type { LevelsSaid } from '../../listening/useListening'
import type { Change, LevelChange, LevelName, LevelView } from '../../../shared/http'
import { bare, clock, decibels, samples } from '../../../shared/words'
import { levelKey } from '../../sheet/choices'
import FiguresPanel from '../../sheet/FiguresPanel.vue'
import LevelCard from '../../sheet/LevelCard.vue'
import SheetView from '../../sheet/SheetView.vue'
import { useVoices, useWaveform } from '../useCut'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const ZOOMS = [5, 10, 15, 20, 30, 60]
const secondsPerLine = ref(ZOOMS.find((zoom) => zoom * 6 >= props.cut.lengthS) ?? 30)
const plan = computed(() => props.cut.plan)
const busy = computed(() => props.actions.busy.value)
const waveform = useWaveform(() =>
  plan.value?.fittings.length ? `/api/cuts/${props.cut.id}/revisions/${plan.value.revision}/waveform` : null,
)

/** The takes that are heard, drawn behind their words. */
const voices = useVoices(
  () => props.cut.id,
  () => props.cut.pieces.map((piece) => piece.take),
)

/** Says something of the levels, which is heard at once where it can be. */
async function shape(said: LevelsSaid) {
  void props.listening.byHand(said)
  if (!(await props.actions.say(said))) void props.listening.byHand(null)
}
const say = (said: Change) => (said.about === 'levels' ? shape(said) : props.actions.say(said))

/** The sheet needs the width; the figures come when they are asked for. */
const figures = ref(false)

const selected = ref<{ key: string; lane: string; x: number; y: number } | null>(null)
/** A lane by its name; the bed has none. */
const laneKey = (lane: LaneView | null) => (lane ? JSON.stringify(lane.lane) : '')
const laneNamed = (key: string) => plan.value.lanes.find((one) => laneKey(one) === key) ?? null
const lane = computed(() => (selected.value ? laneNamed(selected.value.lane) : null))
const level = computed(() => {
  const all = selected.value?.lane ? lane.value?.levels : plan.value?.levels
  return all?.find((object) => levelKey(object.name) === selected.value?.key) ?? null
})
/** The phrase whose words were clicked, for an emphasis. */
const phrase = ref<number | null>(null)

function select(object: LevelView, x: number, y: number, of: LaneView | null = null) {
  selected.value = { key: levelKey(object.name), lane: laneKey(of), x, y }
  phrase.value = null
}
/** The words of a phrase open its dip. */
function selectPhrase(index: number, x: number, y: number) {
  const name = plan.value.phrases[index]?.dip
  const dip = name && plan.value.levels.find((object) => levelKey(object.name) === levelKey(name))
  if (!dip) return
  select(dip, x, y)
  phrase.value = index
}
/** A place in the phrase whose words were clicked. */
const inPhrase = computed(() => {
  const spoken = plan.value.phrases[phrase.value ?? -1]
  return spoken ? samples((spoken.startS + spoken.endS) / 2) : 0
})
/** The edges of a phrase move by a twentieth of a second. */
function edges(start: number, end: number) {
  const spoken = plan.value.phrases[phrase.value ?? -1]
  if (!spoken) return
  const [from, to] = [Math.max(0, spoken.startS + start), spoken.endS + end]
  const edit = { do: 'edges', phrase: inPhrase.value, startSamples: samples(from), endSamples: samples(to) } as const
  void props.actions.say({ about: 'voice', ...edit })
}
const passage = computed(() => props.listening.passage.value)
/** The marked passage in samples. */
const marked = computed(() => ({
  startSamples: samples(passage.value?.fromS ?? 0),
  endSamples: samples(passage.value?.toS ?? 0),
}))
/** The lane in which it was marked. */
const markedIn = ref('')
const passageLane = computed(() => laneNamed(markedIn.value))
function mark(fromS: number, toS: number, of: LaneView | null) {
  markedIn.value = laneKey(of)
  props.listening.repeatPassage(fromS, toS)
}
const ofLane = (one: LaneView | null) => (one ? { lane: one.lane } : {})
/** Raises or lowers the lane in the marked passage, and nowhere else. */
function sweep(byDb: number) {
  const said = { ...marked.value, byDb, ...ofLane(passageLane.value) }
  if (passage.value) void shape({ about: 'levels', do: 'sweep', ...said })
}
const change = (object: LevelView, what: LevelChange, also: LevelName[] = []) =>
  void shape({
    about: 'levels',
    do: 'set',
    levels: [object.name, ...also],
    change: what,
    ...ofLane(lane.value),
  })

const ofBed = (object: LevelView, what: LevelChange): LevelsSaid => ({
  about: 'levels',
  do: 'set',
  levels: [object.name],
  change: what,
})

function zoom(by: number) {
  const at = ZOOMS.indexOf(secondsPerLine.value)
  secondsPerLine.value = ZOOMS[Math.min(ZOOMS.length - 1, Math.max(0, at + by))] ?? 15
}

/** One decibel up or down for what is selected; the passage where nothing is. */
function step(byDb: number) {
  const now = level.value
  if (!now && passage.value) sweep(byDb)
  else if (now && now.kind !== 'fadeIn' && now.kind !== 'fadeOut')
    void shape({ about: 'levels', do: 'step', level: now.name, byDb, ...ofLane(lane.value) })
  else return false
}
const paper = ref<InstanceType<typeof SheetView>>()
const balance = (byDb: number) => void shape({ about: 'levels', do: 'balance', byDb })
useKeys('Shape', [
  { key: 'g', what: 'figures of the whole', act: () => void (figures.value = !figures.value) },
  { key: '+', what: 'what is selected 1 dB louder', act: () => step(1) },
  { key: '-', what: 'what is selected 1 dB softer', act: () => step(-1) },
  { key: '[', what: 'more voice', act: () => balance(1) },
  { key: ']', what: 'more bed', act: () => balance(-1) },
  { key: 'p', ctrl: true, what: 'print the sheet', act: () => void paper.value?.print() },
  { key: 'Escape', what: 'select nothing', act: () => void (selected.value = null) },
])

/** What may be moved is kept ready to be heard. */
watch(
  () => laneKey(lane.value ?? passageLane.value),
  (now) => props.listening.keepAtHand(now),
  { immediate: true },
)
onUnmounted(() => props.listening.keepAtHand(null))

/** The card stays within the page, above its swell when there is no room below. */
const place = computed(() => {
  const at = selected.value
  return at
    ? { left: `${Math.min(Math.max(8, at.x - 40), 420)}px`, top: `${at.y > 380 ? at.y - 250 : at.y + 46}px` }
    : {}
})
</script>

<template>
  <section class="shape">
    <header class="step-head">
      <h2>Shape</h2>
      <span class="soft">drag a wedge, or click it</span>
      <span v-if="plan?.fittings.length && !waveform" class="soft" role="status">drawing the bed …</span>
      <button
        v-if="plan?.fittings.length"
        class="plain"
        :aria-expanded="figures"
        data-test="figures"
        @click="figures = !figures"
      >
        {{ figures ? 'hide the figures' : 'figures, pocket, ambiences, loudness' }} <kbd>G</kbd>
      </button>
      <span v-if="passage" class="soft">
        {{ passageLane ? bare(passageLane.name) : 'bed' }} in the passage:
        <button class="plain" :disabled="busy" data-test="sweep-down" @click="sweep(-1)">
          1 dB lower <kbd>−</kbd>
        </button>
        <button class="plain" :disabled="busy" data-test="sweep-up" @click="sweep(1)">higher <kbd>+</kbd></button>
      </span>
      <span v-if="passage && plan?.phrases.length" class="soft">
        voice in it:
        <button
          class="plain"
          :disabled="busy"
          data-test="take-out"
          @click="actions.say({ about: 'voice', do: 'takeOut', ...marked })"
        >
          take it out
        </button>
        <button
          class="plain"
          :disabled="busy"
          data-test="make-room"
          @click="
            actions.say({
              about: 'voice',
              do: 'moveAfter',
              atSamples: marked.startSamples,
              bySamples: marked.endSamples - marked.startSamples,
            })
          "
        >
          make room
        </button>
      </span>
      <span class="zoom soft">
        <button v-if="plan?.fittings.length" class="plain" data-test="print" @click="paper?.print()">
          print <kbd>Ctrl P</kbd>
        </button>
        {{ secondsPerLine }} seconds a line
        <button class="plain" aria-label="Fewer seconds a line" @click="zoom(-1)">fewer</button>
        <button class="plain" aria-label="More seconds a line" @click="zoom(1)">more</button>
      </span>
    </header>
    <div v-if="plan?.fittings.length" class="holder">
      <FiguresPanel
        v-if="figures"
        :cut="cut"
        :busy="busy"
        :position-s="listening.positionS.value"
        @levels="say"
        @voice="(said) => actions.say(said)"
        @film="(said) => actions.say(said)"
        @bring-ambience="(file) => actions.send('ambiences', file, () => undefined)"
      />
      <div class="paper">
        <SheetView
          ref="paper"
          :cut="cut"
          :waveform="waveform"
          :voices="voices"
          :seconds-per-line="secondsPerLine"
          :position-s="listening.positionS.value"
          :passage="listening.passage.value"
          :selected="level"
          :others="actions.others.value"
          @seek="listening.seek"
          :passage-lane="passageLane"
          @passage="mark"
          @say="say"
          @select="select"
          @phrase="selectPhrase"
          @hand="(object, what) => listening.byHand(object && ofBed(object, what))"
          @handle="(said) => listening.byHand(said?.about === 'levels' ? said : null)"
          @change="(object, what) => shape(ofBed(object, what))"
          @rise-from="(s) => actions.say({ about: 'levels', do: 'riseFrom', atSamples: samples(s) })"
        />
        <div v-if="level" class="floating" :style="place">
          <LevelCard
            :cut="cut"
            :level="level"
            :lane="lane"
            :busy="busy"
            @change="(what, also) => level && change(level, what, also)"
            @give-back="level && shape({ about: 'levels', do: 'giveBack', level: level.name, ...ofLane(lane) })"
            @close="selected = null"
          />
          <div v-if="phrase !== null && level.kind === 'dip'" class="card emphasis">
            <b>Phrase {{ phrase + 1 }}</b>
            <button
              class="plain"
              :disabled="busy"
              data-test="emphasise"
              @click="shape({ about: 'levels', do: 'emphasise', phrase: inPhrase })"
            >
              deeper under this one
            </button>
            <button class="plain" :disabled="busy" @click="edges(-0.05, 0)">begins earlier</button>
            <button class="plain" :disabled="busy" @click="edges(0.05, 0)">later</button>
            <button class="plain" :disabled="busy" @click="edges(0, -0.05)">ends earlier</button>
            <button class="plain" :disabled="busy" @click="edges(0, 0.05)">later</button>
            <button
              class="plain"
              :disabled="busy"
              @click="actions.say({ about: 'voice', do: 'joinNext', phrase: inPhrase })"
            >
              one with the next
            </button>
            <button
              class="plain"
              :disabled="busy"
              data-test="not-speech"
              @click="actions.say({ about: 'voice', do: 'notSpeech', phrase: inPhrase }).then(() => (selected = null))"
            >
              no speech
            </button>
          </div>
        </div>
      </div>
      <table class="unseen">
        <caption>
          Swells, dips and phrases of the cut
        </caption>
        <tbody>
          <tr v-for="object in plan.levels" :key="levelKey(object.name)">
            <td>{{ object.kind }}</td>
            <td>{{ clock(object.startS, true) }} to {{ clock(object.endS, true) }}</td>
            <td>{{ decibels(-object.underSpeechDb) }} dB</td>
            <td><button @click="select(object, 200, 100)">change</button></td>
          </tr>
          <tr v-for="(phrase, k) in plan.phrases" :key="`p${k}`">
            <td>phrase</td>
            <td>{{ clock(phrase.startS, true) }} to {{ clock(phrase.endS, true) }}</td>
            <td>{{ phrase.words }}</td>
            <td></td>
          </tr>
        </tbody>
      </table>
    </div>
    <a-empty v-else description="There is nothing to shape yet. Bring in a bed first.">
      <router-link :to="`/cuts/${cut.id}/beds`">Bring in a bed</router-link>
    </a-empty>
  </section>
</template>

<style scoped>
.shape {
  display: flex;
  flex-direction: column;
  height: 100%;
  padding: 16px 8px 0 22px;
  box-sizing: border-box;
}
.step-head {
  margin-bottom: 6px;
}
.zoom {
  margin-left: auto;
  padding-right: 14px;
}
.holder {
  position: relative;
  flex: 1;
  min-height: 0;
}
.holder {
  display: flex;
  overflow: hidden;
}
.paper {
  position: relative;
  flex: 1;
  min-width: 0;
  min-height: 0;
}
.floating {
  position: absolute;
}
@media screen and (width < 860px) {
  .holder {
    flex-direction: column;
    overflow: auto;
  }
  .paper {
    min-height: 300px;
  }
}
@media print {
  .step-head,
  .floating,
  .holder > :not(.paper) {
    display: none;
  }
  .shape,
  .holder {
    display: block;
    height: auto;
    padding: 0;
    overflow: visible;
  }
}
.emphasis {
  margin-top: 4px;
  padding: 6px 12px;
  box-shadow: 0 4px 14px rgb(0 0 0 / 18%);
}
</style>
