<script setup lang="ts">
import { computed } from 'vue'
import type { CutView, NaturalWaysView, Of, Wish } from '../../shared/http'
import NumberField from '../../shared/NumberField.vue'
import { clock, samples } from '../../shared/words'
import { wordsOf } from '../../shared/i18n'

/** What is wanted of the fit, and how else the length could be made. */
const props = defineProps<{ cut: CutView; busy: boolean; ways: NaturalWaysView | null; positionS: number }>()
const emit = defineEmits<{ say: [change: Of<'fit'>]; picture: [change: Of<'picture'>]; bed: [change: Of<'bed'>] }>()
const wish = (wished: Wish) => emit('say', { about: 'fit', do: 'wish', wish: wished })

const wishes = computed(() => props.cut.plan.wishes)
const own = computed(() => props.cut.bed?.reading?.ending === 'ownEnding')
const STARTS = [
  { value: 'free', label: 'as fits best' },
  { value: 'top', label: 'from the top, with its pickup' },
  { value: 'cold', label: 'cold, on the best downbeat' },
  { value: 'fadeIn', label: 'faded in' },
]
const ENDS = computed(() => [
  { value: 'free', label: 'as fits best' },
  ...(own.value ? [{ value: 'ownEnding', label: 'its own last hit' }] : []),
  ...(props.cut.bed?.reading?.ending === 'fadesOut' ? [{ value: 'ownEnding', label: 'its own fade' }] : []),
  { value: 'stop', label: 'stops on a downbeat, rings out' },
  { value: 'fade', label: 'fades out' },
])
/** Where the bed lies now. */
const place = computed(() => wishes.value.place ?? { startS: 0, endS: null })
const lie = (startS: number, endS: number | null | undefined) =>
  wish({ what: 'place', startSamples: samples(startS), endSamples: endS == null ? null : samples(endS) })
const lieFrom = (startS: number) => lie(startS, place.value.endS)
const lieUntil = (endS: number) => lie(place.value.startS, endS)
/** Moments that a bed can begin with. */
const forms = computed(() =>
  props.cut.moments.flatMap(({ frame, kind, atS, bedFromS }) =>
    bedFromS == null
      ? []
      : [
          {
            frame,
            fromS: bedFromS,
            words: `${kind === 'title' ? 'after the title' : 'a little before the credits'} at ${clock(atS)}`,
          },
        ],
  ),
)
/** Whether somebody sings in the bed, as it was read or as its supplier says. */
const sings = computed(
  () =>
    wishes.value.leaveOutSinging ||
    !!props.cut.bed?.reading?.singing?.length ||
    !!props.cut.candidates.find((one) => one.chosen)?.licence?.singing,
)
/** The bed at hand among the candidates, and its tempo. */
const candidate = computed(() => props.cut.candidates.find((one) => one.chosen))
const bpm = computed(() => candidate.value?.reading?.tempoBpm ?? 0)
const tempo = (asked: { fasterPercent: number } | { bpm: number }) =>
  candidate.value &&
  emit('bed', {
    about: 'bed',
    do: 'tempo',
    sound: candidate.value.hash,
    ...{ fasterPercent: null, bpm: null, ...asked },
  })
const ending = computed(() => (own.value ? 'ends with its own last hit' : 'ends with its own fade'))
/** Bars of the bed, and the one that the fitting begins on, counted from 1. */
const lines = computed(() => props.cut.bed?.reading?.barLinesS ?? [])
const bars = computed(() => Math.max(0, lines.value.length - 1))
const firstBar = computed(() => props.cut.plan.fittings[props.cut.plan.chosen]?.pieces[0]?.startBar ?? 1)
const beginOn = (bar: number) =>
  wish({
    what: 'start',
    kind: wishes.value.start === 'fadeIn' ? 'fadeIn' : 'cold',
    atSamples: samples(lines.value[bar - 1] ?? 0),
  })
type StartKind = Extract<Wish, { what: 'start' }>['kind']
type EndKind = Extract<Wish, { what: 'end' }>['kind']
</script>

<template>
  <section class="wishes" aria-label="What you ask for">
    <h3>What you ask for</h3>
    <div class="pairs">
      <label
        >begins
        <a-select
          :value="wishes.start"
          :options="STARTS"
          size="small"
          data-test="start"
          @change="(kind) => wish({ what: 'start', kind: kind as StartKind })"
      /></label>
      <span v-if="bars > 1">
        on bar
        <NumberField
          style="width: 64px"
          label="Bar that it begins on"
          data-test="first-bar"
          :value="firstBar"
          :min="1"
          :max="bars"
          :disabled="busy"
          @set="beginOn"
        />
      </span>
      <label
        >ends
        <a-select
          :value="wishes.end"
          :options="ENDS"
          size="small"
          data-test="end"
          @change="(kind) => wish({ what: 'end', kind: kind as EndKind })"
      /></label>
      <button
        v-if="own"
        class="plain"
        :disabled="busy || positionS < 1"
        data-test="hit-here"
        @click="wish({ what: 'end', kind: 'ownEnding', hitSamples: samples(positionS) })"
      >
        last hit at {{ clock(positionS, true) }}
      </button>
    </div>
    <div class="pairs">
      <label
        >runs on behind the picture for
        <NumberField
          :value="Math.round(cut.tailS * 100) / 100"
          within="tailS"
          :step="0.5"
          unit="s"
          label="Seconds that the sound runs on behind the picture"
          data-test="run-on"
          @set="
            (n) => emit('say', { about: 'fit', do: 'runOn', frames: Math.round((n * cut.rate.num) / cut.rate.den) })
          "
      /></label>
    </div>
    <div v-if="candidate" class="pairs" data-test="tempo">
      <label
        >faster by
        <NumberField
          :value="candidate.fasterPercent"
          within="fasterPercent"
          :step="1"
          unit="%"
          label="By how many percent the bed is faster than it came; negative for slower"
          data-test="faster"
          :disabled="busy"
          @set="(n) => tempo({ fasterPercent: n })"
      /></label>
      <label v-if="bpm > 0"
        >at
        <NumberField
          :value="Math.round(bpm * 10) / 10"
          within="tempoBpm"
          :step="1"
          unit="BPM"
          label="Beats a minute of the bed"
          data-test="bpm"
          :disabled="busy"
          @set="(n) => tempo({ bpm: n })"
      /></label>
      <span class="soft">its pitch stays</span>
    </div>
    <div v-if="cut.plan.parts.length === 1" class="pairs" data-test="place">
      <span class="soft">lies on the cut</span>
      <button class="plain" :disabled="busy || positionS <= 0" data-test="from-here" @click="lieFrom(positionS)">
        from {{ clock(positionS, true) }} on
      </button>
      <button class="plain" :disabled="busy || positionS <= place.startS" @click="lieUntil(positionS)">
        until {{ clock(positionS, true) }}
      </button>
      <button
        v-for="moment in forms"
        :key="moment.frame"
        class="plain"
        :disabled="busy"
        data-test="from-moment"
        @click="lieFrom(moment.fromS)"
      >
        {{ moment.words }}
      </button>
      <button v-if="wishes.place" class="plain" :disabled="busy" data-test="place-all" @click="wish({ what: 'place' })">
        all of it
      </button>
    </div>
    <div class="ticks">
      <a-checkbox
        v-if="sings"
        :checked="wishes.leaveOutSinging"
        :disabled="busy"
        data-test="leave-out-singing"
        @change="wish({ what: 'leaveOutSinging', on: !wishes.leaveOutSinging })"
        >leave out the singing</a-checkbox
      >
      <a-checkbox
        v-for="one in wishes.likings"
        :key="one.liking"
        :checked="one.on"
        :disabled="busy"
        :data-test="`like-${one.liking}`"
        @change="wish({ what: 'liking', liking: one.liking, on: !one.on })"
        >{{ wordsOf(one.words) }}</a-checkbox
      >
    </div>
    <div class="pairs">
      <label
        >at least
        <NumberField
          :value="wishes.leastRunBars"
          within="leastRunBars"
          unit="bars"
          label="Least bars between splices"
          @set="(n) => wish({ what: 'leastRun', bars: n })"
        />
        between splices</label
      >
      <label
        >speed within
        <NumberField
          :value="wishes.speedPercent"
          within="speedPercent"
          :step="0.25"
          unit="%"
          label="Most change of speed"
          @set="(n) => wish({ what: 'speedChange', share: n / 100 })"
      /></label>
      <label
        >a passage at most
        <NumberField
          :value="wishes.mostPlays"
          within="mostPlays"
          unit="times"
          placeholder="any"
          clears
          label="How often a passage may be heard"
          @set="(n) => wish({ what: 'mostPlays', times: n })"
          @clear="wish({ what: 'mostPlays', times: null })"
      /></label>
    </div>
    <p v-for="one in wishes.standing" :key="wordsOf(one.words)" class="said" data-test="wish">
      <span>{{ wordsOf(one.words) }}</span>
      <button
        class="plain soft"
        :disabled="busy"
        :aria-label="`Take back: ${wordsOf(one.words)}`"
        @click="emit('say', { about: 'fit', do: 'takeBack', wish: one.wish })"
      >
        take back
      </button>
    </p>
    <p v-if="!wishes.standing.length" class="soft">
      Nothing is fixed by hand. Mark a passage of the bed, drag a ribbon's end, or pull a pin down to the cut.
    </p>
    <template v-if="ways?.lengths.length">
      <h3>Lengths near this one at which it {{ ending }}</h3>
      <p class="lengths" data-test="natural-lengths">
        <button
          v-for="one in ways.lengths"
          :key="one.lengthFrames"
          class="as-button"
          :disabled="busy || one.lengthFrames === cut.lengthFrames"
          :title="`Makes the cut ${clock(one.lengthS, true)} long`"
          @click="emit('say', { about: 'fit', do: 'length', frames: one.lengthFrames })"
        >
          {{ clock(one.lengthS, true) }}{{ one.whole ? ', the whole piece' : '' }}
        </button>
      </p>
    </template>
    <template v-if="ways && cut.shots.length">
      <h3>Or let the picture give way</h3>
      <p v-if="ways.whyNot" class="soft" data-test="no-ways">
        {{ ways.whyNot }}
        <button
          v-if="ways.lengths.length && !cut.shots.some((shot) => shot.still)"
          class="plain"
          :disabled="busy"
          data-test="all-stills"
          @click="emit('picture', { about: 'picture', do: 'stills', all: true })"
        >
          all shots are stills
        </button>
      </p>
      <p v-for="one in ways.stills" :key="one.lengthFrames" class="said">
        <span
          ><b class="numbers">{{ clock(one.lengthS, true) }}</b
          >, each still {{ one.meanHoldS.toFixed(2) }} s on average ({{ one.factor.toFixed(2) }} times as long)<span
            v-if="!one.advised"
            class="warn"
          >
            : too far from how it was cut</span
          ></span
        >
        <button
          class="plain"
          :disabled="busy"
          data-test="hold-stills"
          @click="emit('say', { about: 'fit', do: 'holdStills', frames: one.lengthFrames })"
        >
          hold the stills so
        </button>
      </p>
    </template>
  </section>
</template>

<style scoped>
.pairs {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
  align-items: center;
  margin: 6px 0;
}
.pairs label {
  display: flex;
  gap: 6px;
  align-items: center;
}
.pairs :deep(.ant-select) {
  width: 210px;
}
.pairs :deep(.ant-input-number-group-wrapper) {
  width: 112px;
}
.ticks {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 2px 12px;
  margin: 8px 0;
}
.ticks :deep(.ant-checkbox-wrapper) {
  margin-inline-start: 0;
}
.lengths {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
}
.said {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  margin: 4px 0;
}
</style>
