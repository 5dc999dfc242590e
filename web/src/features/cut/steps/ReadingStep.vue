<script setup lang="ts">
import type { UploadProps } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { barAt } from '../../../drawing/bars'
import { useKeys } from '../../../shared/keys'
import type { Correction } from '../../../shared/http'
import { clock, count, samples } from '../../../shared/words'
import BarsPage from '../../reading/BarsPage.vue'
import CountCard from '../../reading/CountCard.vue'
import { useBedPlayer } from '../../reading/useBedPlayer'
import { barWords, ENDINGS, loudnessWords } from '../../reading/said'
import { useTaps } from '../../reading/useTaps'
import WholeBed from '../../reading/WholeBed.vue'
import { useWaveform } from '../useCut'
import type { StepProps } from './props'
import { wordsOf } from '../../../shared/i18n'

const props = defineProps<StepProps>()
const reading = computed(() => props.cut.bed?.reading ?? null)
const corrections = computed(() => props.cut.bed?.corrections ?? [])
const waveform = useWaveform(() =>
  reading.value ? `/api/cuts/${props.cut.id}/sounds/${props.cut.bed?.hash}/waveform` : null,
)
const player = useBedPlayer(() => props.cut)

/** The beats and bars as files for other programs. */
const GRIDS = [
  { format: 'midi', name: 'MIDI', title: 'A tempo map with time signatures and markers' },
  { format: 'jams', name: 'JAMS', title: 'Beats and sections' },
  { format: 'wav', name: 'WAV', title: 'The bed with a cue point for each bar' },
]
const takeGrid: UploadProps['customRequest'] = ({ file }) =>
  void props.actions.send('bed/grid', file as File, () => undefined)

const loudness = computed(() => loudnessWords(reading.value))

/** The bar that was chosen last: what is said about sections is said of it. */
const selected = ref<number | null>(null)
const section = computed(() => {
  const bar = selected.value
  return bar === null ? null : (reading.value?.sections.find((s) => bar >= s.startBar && bar <= s.endBar) ?? null)
})
const character = computed(() =>
  barWords(selected.value === null ? undefined : reading.value?.bars[selected.value - 1]),
)
const beginsHere = computed(() => section.value?.startBar === selected.value)
const barStartS = computed(() => (selected.value === null ? 0 : (reading.value?.barLinesS[selected.value - 1] ?? 0)))
const barEndS = computed(() => (selected.value === null ? 0 : (reading.value?.barLinesS[selected.value] ?? 0)))
const sung = computed(() => reading.value?.singing.some((s) => s.startS < barEndS.value && s.endS > barStartS.value))
watch(
  () => props.cut.bed?.hash,
  () => (selected.value = null),
)

function say(correction: Correction) {
  void props.actions.say({ about: 'reading', do: 'correct', correction })
}

const moveBoundary = (fromS: number, toS: number) =>
  say({ what: 'moveBoundary', fromSamples: samples(fromS), toSamples: samples(toS) })

function hear(bar: number) {
  selected.value = bar
  props.listening.stop()
  void player.playFrom(reading.value?.barLinesS[bar - 1] ?? 0)
}

function splitOrJoin() {
  if (selected.value === null || selected.value === 1) return
  say({ what: beginsHere.value ? 'join' : 'split', atSamples: samples(barStartS.value) })
}

const name = ref('')
const letter = ref('')
watch(section, (now) => {
  name.value = now?.name ?? ''
  letter.value = now?.label ?? ''
})
function rename() {
  if (section.value && name.value.trim() !== (section.value.name ?? ''))
    say({ what: 'name', atSamples: samples(barStartS.value), name: name.value })
}
function reletter() {
  if (section.value && letter.value.trim() && letter.value !== section.value.label)
    say({ what: 'letter', atSamples: samples(barStartS.value), label: letter.value })
}
function markSinging() {
  if (selected.value !== null)
    say({
      what: 'singing',
      startSamples: samples(barStartS.value),
      endSamples: samples(barEndS.value),
      sings: !sung.value,
    })
}
function markEnding(what: 'lastHit' | 'fadesFrom') {
  if (selected.value !== null) say({ what, atSamples: samples(barStartS.value) })
}

const tapping = useTaps(player, (taps) => say({ what: 'taps', atSamples: taps.map(samples) }))

function shiftBoundary(bars: number) {
  const now = section.value
  const toS = now && reading.value?.barLinesS[now.startBar - 1 + bars]
  if (now && toS !== undefined && toS !== null && now.startBar > 1) {
    moveBoundary(now.startS, toS)
    selected.value = now.startBar + bars
  }
}

/** What a key does once the bed has been read. */
const mend = (key: string | string[], what: string, act: () => unknown) => ({
  key,
  what,
  // Most of these give nothing back; only a bed that is not read yet leaves its keys to others.
  act: () => (reading.value ? void act() : false),
})
useKeys('Reading', [
  // The strip at the foot plays the cut; here the bed is heard.
  mend(' ', 'hear the bed, or stop', player.toggle),
  mend('k', 'count along', () => (player.counting.value = !player.counting.value)),
  mend('t', 'tap the beat', tapping.tap),
  mend('+', 'twice as many beats', () => say({ what: 'doubleTempo' })),
  mend('-', 'half as many beats', () => say({ what: 'halfTempo' })),
  mend('h', 'the beats lie between', () => say({ what: 'offBeats' })),
  mend('[', 'bars begin a beat earlier', () => say({ what: 'shiftBars', beats: -1 })),
  mend(']', 'bars begin a beat later', () => say({ what: 'shiftBars', beats: 1 })),
  mend(',', 'all beats 10 ms earlier', () => say({ what: 'nudge', samples: -480 })),
  mend('.', 'all beats 10 ms later', () => say({ what: 'nudge', samples: 480 })),
  mend('s', 'a section begins here, or none does', splitOrJoin),
  mend('<', 'the section begins a bar earlier', () => shiftBoundary(-1)),
  mend('>', 'the section begins a bar later', () => shiftBoundary(1)),
  mend('g', 'somebody sings in this bar, or nobody does', markSinging),
  mend('l', 'the last hit is in this bar', () => markEnding('lastHit')),
  mend('f', 'it fades from this bar on', () => markEnding('fadesFrom')),
])
</script>

<template>
  <section class="step" :class="{ full: reading }">
    <header class="step-head">
      <h2>Reading</h2>
      <span class="soft">the bed as music: click a bar to hear it, mend what is wrong</span>
    </header>
    <div v-if="reading && cut.bed" class="columns">
      <div class="music">
        <WholeBed
          :reading="reading"
          :length-s="cut.bed.lengthS ?? 0"
          :waveform="waveform"
          :position-s="player.positionS.value"
          @seek="player.seek"
        />
        <p v-if="!reading.sections.length" class="soft">
          No bars were found, so this bed can only be played once and faded. If you hear a beat, tap along.
        </p>
        <BarsPage
          :reading="reading"
          :position-s="player.positionS.value"
          :playing="player.playing.value"
          :selected="selected"
          @hear="hear"
          @move-boundary="moveBoundary"
        />
      </div>
      <aside class="side">
        <CountCard
          :reading="reading"
          :taps="tapping.count.value"
          :taps-bpm="tapping.bpm.value"
          @say="say"
          @tap="tapping.tap"
        />
        <section v-if="section && selected !== null" class="card" aria-label="This bar" data-test="this-bar">
          <h3>Bar {{ selected }}</h3>
          <p v-if="character" class="soft numbers" data-test="bar-character">{{ character }}</p>
          <p v-if="selected > 1">
            <button class="plain" data-test="split" @click="splitOrJoin">
              {{ beginsHere ? 'no section begins here' : 'a section begins here' }} <kbd>S</kbd>
            </button>
          </p>
          <p v-if="section.startBar > 1">
            <button class="plain" @click="shiftBoundary(-1)">its section begins a bar earlier <kbd>&lt;</kbd></button>
            <button class="plain" @click="shiftBoundary(1)">later <kbd>&gt;</kbd></button>
          </p>
          <p>
            <button class="plain" @click="markSinging">
              {{ sung ? 'nobody sings here' : 'somebody sings here' }} <kbd>G</kbd>
            </button>
            <button class="plain" @click="markEnding('lastHit')">the last hit is here <kbd>L</kbd></button>
            <button class="plain" @click="markEnding('fadesFrom')">fades from here <kbd>F</kbd></button>
          </p>
          <p class="names">
            <a-input
              v-model:value="letter"
              size="small"
              aria-label="Letter"
              :maxlength="3"
              @blur="reletter"
              @press-enter="reletter"
            />
            <a-input
              v-model:value="name"
              size="small"
              placeholder="name of its section"
              :maxlength="60"
              data-test="section-name"
              @blur="rename"
              @press-enter="rename"
            />
          </p>
        </section>
        <section v-if="corrections.length" class="card" aria-label="What you said" data-test="corrections">
          <h3>What you said</h3>
          <p v-for="one in corrections" :key="one.name" class="said" data-test="said">
            <span>{{ wordsOf(one.words) }}</span>
            <button
              class="plain soft"
              :aria-label="`Take back: ${wordsOf(one.words)}`"
              @click="actions.say({ about: 'reading', do: 'takeBack', correction: one.name })"
            >
              take back
            </button>
          </p>
        </section>
        <dl class="facts card">
          <dt>bar lines</dt>
          <dd :class="{ warn: reading.barsSure === 'unsure' }">
            {{ { sure: 'sure', fair: 'fairly sure', unsure: 'not sure: count along' }[reading.barsSure] }}
          </dd>
          <template v-if="reading.key">
            <dt>key</dt>
            <dd>{{ reading.key }}</dd>
          </template>
          <dt>first sound</dt>
          <dd class="numbers">{{ clock(reading.musicStartS, true) }}</dd>
          <dt>ending</dt>
          <dd>
            {{ ENDINGS[reading.ending] }}
            <span v-if="reading.ending === 'ownEnding'" class="numbers">
              {{ clock(reading.lastHitS, true) }}, rings {{ (reading.musicEndS - reading.lastHitS).toFixed(1) }} s
            </span>
          </dd>
          <dt>loudness</dt>
          <dd>
            {{ loudness
            }}<span v-if="reading.clippedCount" class="warn"
              >, clipped in {{ count(reading.clippedCount, 'place') }}</span
            >
          </dd>
          <dt>beat files</dt>
          <dd>
            <a-upload :custom-request="takeGrid" :show-upload-list="false" accept=".mid,.midi,.jams,.json,.wav">
              <span class="as-button" data-test="grid-in" title="Standard MIDI File, JAMS, or WAV with cue points"
                >take one in</span
              >
            </a-upload>
            <br />
            save as
            <a
              v-for="format in GRIDS"
              :key="format.format"
              class="out"
              :href="`/api/cuts/${cut.id}/bed/grid?format=${format.format}`"
              :title="format.title"
              >{{ format.name }}</a
            >
          </dd>
          <template v-if="reading.loops.length">
            <dt>loops well</dt>
            <dd>
              <button
                v-for="loop in reading.loops.slice(0, 4)"
                :key="loop.startBar"
                class="plain numbers"
                :title="`Hear bars ${loop.startBar} to ${loop.endBar} over and over`"
                @click="player.repeat(loop.startS, loop.endS)"
              >
                {{ loop.startBar }}–{{ loop.endBar }}
              </button>
            </dd>
          </template>
        </dl>
      </aside>
    </div>
    <a-empty v-else :description="cut.bed ? 'The bed is being read.' : 'A bed is needed before it can be read.'">
      <router-link v-if="!cut.bed" :to="`/cuts/${cut.id}/beds`">Bring in a bed</router-link>
    </a-empty>
    <footer v-if="reading" class="strip" aria-label="Listening to the bed">
      <button class="plain play" data-test="play-bed" @click="player.toggle">
        <svg width="12" height="14" viewBox="0 0 12 14" aria-hidden="true">
          <path v-if="!player.playing.value" d="M0 0v14L12 7Z" fill="currentColor" />
          <path v-else d="M1 2h10v10H1Z" fill="currentColor" />
        </svg>
        {{ player.playing.value ? 'Stop' : 'Play the bed' }} <kbd>space</kbd>
      </button>
      <span class="position numbers" data-test="bed-position">{{ clock(player.positionS.value, true) }}</span>
      <span class="soft numbers">bar {{ barAt(reading, player.positionS.value) }}</span>
      <button
        class="plain"
        :class="{ on: player.counting.value }"
        :aria-pressed="player.counting.value"
        data-test="count"
        @click="player.counting.value = !player.counting.value"
      >
        count along <kbd>K</kbd>
      </button>
      <span class="soft">a tick on every beat, a higher one on the first of a bar</span>
    </footer>
  </section>
</template>

<style scoped>
.step.full {
  display: grid;
  grid-template: auto 1fr auto / minmax(0, 1fr);
  height: 100%;
  min-height: 0;
  padding-bottom: 0;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 310px;
  gap: 22px;
  min-height: 0;
}
@media (width < 1000px) {
  .columns {
    grid-template-columns: minmax(0, 1fr) 250px;
  }
}
@media (width < 860px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
    overflow: auto;
  }
  .columns > .music,
  .columns > .side {
    overflow: visible;
  }
}
.music,
.side {
  overflow: auto;
  min-height: 0;
  padding: 8px 2px 20px 0;
}
.side > * {
  margin-bottom: 12px;
}
/* Words stand in line with words, wherever a line begins. */
.side :deep(.plain) {
  white-space: nowrap;
  padding: 1px 4px;
  margin: 0 4px 0 -4px;
}
.side p {
  margin: 0 0 4px;
}
.names {
  display: grid;
  grid-template-columns: 44px 1fr;
  gap: 6px;
}
.said {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  align-items: baseline;
}
.said .plain {
  flex: none;
}
.strip {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 2px 16px;
  min-height: 52px;
  margin: 0 -26px;
  padding: 0 26px;
  border-top: 1px solid var(--line);
  white-space: nowrap;
}
.play {
  font-weight: 600;
}
.position {
  font-size: 18px;
  min-width: 70px;
}
.out {
  padding: 0 4px;
}
.on {
  border-bottom: 2px solid var(--ink);
}
</style>
