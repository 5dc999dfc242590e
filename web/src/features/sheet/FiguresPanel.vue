<script setup lang="ts">
import type { UploadProps } from 'ant-design-vue'
import { computed, ref } from 'vue'
import type { AmbienceChange, CutView, Figure, Of } from '../../shared/http'
import NumberField from '../../shared/NumberField.vue'
import { bare, clock, samples } from '../../shared/words'
import { RULES, SLOPES } from './choices'
import HouseCard from './HouseCard.vue'

/** The figures that every swell and dip follows, how the cut opens and closes, other layers, and the whole. */
const props = defineProps<{ cut: CutView; busy: boolean; positionS: number }>()
const emit = defineEmits<{
  levels: [change: Of<'levels'>]
  voice: [change: Of<'voice'>]
  film: [change: Of<'film'>]
  bringAmbience: [file: File]
}>()

const shape = computed(() => props.cut.plan.shape)
const set = (figure: Figure) => emit('levels', { about: 'levels', do: 'figure', ...figure })
const balance = (byDb: number) => emit('levels', { about: 'levels', do: 'balance', byDb })
const ambience = (sound: string, change: AmbienceChange) =>
  emit('levels', { about: 'levels', do: 'ambience', sound, ...change })
type FilmSound = Extract<Of<'film'>, { do: 'sound' }>
const film = (change: Partial<FilmSound>) => emit('film', { about: 'film', do: 'sound', ...change })

const pockets = computed(() => props.cut.plan.pocketChoices)
const same = (a: unknown, b: unknown) => JSON.stringify(a ?? null) === JSON.stringify(b ?? null)
const pocket = computed(() => pockets.value.findIndex((one) => same(one.pocket, shape.value.pocket)))

/** How a spoken show opens and closes, where somebody asks for it. */
const forms = computed(() => props.cut.plan.forms)
const aloneS = ref(Math.round((props.cut.plan.phrases[0]?.startS ?? 8) * 10) / 10)
type Entry = Extract<Of<'voice'>, { do: 'enter' }>['on']
const ENTRIES: { value: Entry; label: string }[] = [
  { value: 'there', label: 'then' },
  { value: 'downbeat', label: 'on the next downbeat' },
  { value: 'section', label: 'on the next section' },
]
const entry = ref<Entry>('downbeat')

/** Where the close begins to rise. */
const closesS = computed(() => {
  const last = props.cut.plan.phrases.at(-1)
  return shape.value.closing && last ? Math.max(0, last.endS - (shape.value.closing.underWordsS ?? 0)) : null
})
/** Places of the bed that it can close with. */
const sections = computed(() => [
  { value: '', label: 'the bed as it goes on' },
  ...(props.cut.bed?.reading?.sections ?? []).map(({ label, startS }) => ({
    value: String(startS),
    label: `${label} at ${clock(startS)} of the bed`,
  })),
])
const closesWith = computed(() => {
  const at = closesS.value
  const pin = props.cut.plan.wishes.pins.find((one) => at !== null && Math.abs(one.cutS - at) < 0.1)
  return sections.value.find(({ value }) => pin && value && Math.abs(Number(value) - pin.bedS) < 0.05)?.value ?? ''
})
function closeWith(bedS: number) {
  const places = { atSamples: samples(closesS.value ?? 0), bedSamples: samples(bedS) }
  emit('levels', { about: 'levels', do: 'riseFrom', ...places })
}

const loudness = computed(() => props.cut.plan.loudnessChoices)
const bring: UploadProps['customRequest'] = ({ file }) => emit('bringAmbience', file as File)
</script>

<template>
  <aside class="figures" aria-label="Figures of the whole">
    <section class="card">
      <h3>{{ { voice: 'Bed and voice', film: 'Bed and film', itself: 'The bed' }[cut.plan.bedAgainst] }}</h3>
      <p v-if="cut.plan.bedAgainst === 'voice'">
        under the voice
        <NumberField
          :value="shape.underSpeechDb"
          within="underDb"
          label="Bed under the voice, dB"
          percent="under"
          data-test="under-speech"
          @set="(n) => set({ figure: 'underSpeechDb', value: n })"
        />
      </p>
      <p v-if="cut.plan.bedAgainst === 'itself'">
        the bed at
        <NumberField
          :value="shape.bedAloneLufs"
          within="bedAloneLufs"
          label="Loudness of the bed, LUFS"
          data-test="bed-alone-lufs"
          @set="(n) => set({ figure: 'bedAloneLufs', value: n })"
        />
        LUFS, as it is heard alone
      </p>
      <p v-else>
        {{ cut.plan.bedAgainst === 'film' ? 'under the film’s own sound' : 'alone' }}
        <NumberField
          :value="shape.aloneDb"
          within="underDb"
          :label="cut.plan.bedAgainst === 'film' ? 'Bed under the film’s own sound, dB' : 'Bed alone, dB'"
          percent="under"
          data-test="alone"
          @set="(n) => set({ figure: 'aloneDb', value: n })"
        />
      </p>
      <p>
        <button class="plain" :disabled="busy" data-test="more-voice" @click="balance(1)">
          {{ { voice: 'more voice', film: 'more film', itself: 'softer' }[cut.plan.bedAgainst] }} <kbd>[</kbd>
        </button>
        <button class="plain" :disabled="busy" @click="balance(-1)">
          {{ cut.plan.bedAgainst === 'itself' ? 'louder' : 'more bed' }} <kbd>]</kbd>
        </button>
      </p>
      <template v-if="cut.plan.bedAgainst === 'voice'">
        <p>
          eases in
          <NumberField
            :value="shape.easeS"
            within="easeS"
            :step="0.1"
            label="Seconds of a rise or fall"
            data-test="eases"
            @set="(n) => set({ figure: 'easeS', value: n })"
          />
          s
        </p>
        <p>
          gaps from
          <NumberField
            :value="shape.leastGapS"
            within="leastGapS"
            :step="0.1"
            label="Least gap that gets a swell, seconds"
            @set="(n) => set({ figure: 'leastGapS', value: n })"
          />
          s get a swell
        </p>
        <a-checkbox
          :checked="shape.evenVoice"
          :disabled="busy"
          data-test="even-voice"
          @change="set({ figure: 'evenVoice', value: !shape.evenVoice })"
        >
          even the phrases out
        </a-checkbox>
        <a-checkbox
          :checked="shape.holdEachPhrase"
          :disabled="busy"
          data-test="hold-each"
          @change="set({ figure: 'holdEachPhrase', value: !shape.holdEachPhrase })"
        >
          hold the bed under each phrase
        </a-checkbox>
      </template>
    </section>
    <section v-if="cut.plan.bedAgainst === 'voice'" class="card">
      <h3>Opening and closing</h3>
      <a-checkbox
        :checked="!!shape.opening"
        :disabled="busy"
        data-test="opening"
        @change="set({ figure: 'opening', value: shape.opening ? null : forms.opening })"
      >
        falls under the first words
      </a-checkbox>
      <template v-if="shape.opening">
        <p>
          over
          <NumberField
            :value="shape.opening.fallS"
            within="slopeS"
            :step="0.5"
            label="Seconds of the fall"
            @set="(n) => shape.opening && set({ figure: 'opening', value: { ...shape.opening, fallS: n } })"
          />
          s,
          <a-select
            :value="shape.opening.slope"
            :options="SLOPES"
            size="small"
            aria-label="How it falls"
            @change="
              (v) =>
                shape.opening &&
                set({ figure: 'opening', value: { ...shape.opening, slope: v as typeof shape.opening.slope } })
            "
          />
        </p>
        <p>
          the voice enters
          <a-select
            :value="shape.opening.enters"
            :options="forms.enters.map((one) => ({ value: one.value ?? 0, label: one.words }))"
            size="small"
            aria-label="Where the voice enters"
            @change="(v) => shape.opening && set({ figure: 'opening', value: { ...shape.opening, enters: Number(v) } })"
          />
        </p>
      </template>
      <p v-if="cut.plan.phrases.length">
        bed alone for
        <NumberField
          :value="aloneS"
          :min="0"
          :max="120"
          :step="0.5"
          label="Seconds of the bed alone"
          data-test="alone-s"
          @set="(n) => (aloneS = n)"
        />
        s, then the voice enters
        <a-select
          v-model:value="entry"
          :options="ENTRIES"
          size="small"
          aria-label="What the voice waits for"
          data-test="entry"
        />
        <button
          class="as-button"
          :disabled="busy"
          data-test="enter"
          title="Moves the whole voice"
          @click="emit('voice', { about: 'voice', do: 'enter', aloneSamples: samples(aloneS), on: entry })"
        >
          move the voice so
        </button>
      </p>
      <a-checkbox
        :checked="!!shape.closing"
        :disabled="busy"
        data-test="closing"
        @change="set({ figure: 'closing', value: shape.closing ? null : forms.closing })"
      >
        rises under the last words
      </a-checkbox>
      <p v-if="shape.closing">
        from
        <NumberField
          :value="shape.closing.underWordsS"
          within="slopeS"
          :step="0.5"
          label="Seconds before the end of the last words"
          data-test="under-words"
          @set="(n) => shape.closing && set({ figure: 'closing', value: { ...shape.closing, underWordsS: n } })"
        />
        s before their end, over
        <NumberField
          :value="shape.closing.riseS"
          within="slopeS"
          :step="0.5"
          label="Seconds of the rise"
          @set="(n) => shape.closing && set({ figure: 'closing', value: { ...shape.closing, riseS: n } })"
        />
        s,
        <a-select
          :value="shape.closing.slope"
          :options="SLOPES"
          size="small"
          aria-label="How it rises"
          @change="
            (v) =>
              shape.closing &&
              set({ figure: 'closing', value: { ...shape.closing, slope: v as typeof shape.closing.slope } })
          "
        />
        <button
          class="as-button"
          :disabled="busy || !(positionS > 0)"
          data-test="rise-from"
          @click="emit('levels', { about: 'levels', do: 'riseFrom', atSamples: samples(positionS) })"
        >
          from {{ clock(positionS, true) }} on
        </button>
        <template v-if="sections.length > 1 && closesS !== null"
          >with
          <a-select
            :value="closesWith"
            :options="sections"
            size="small"
            aria-label="The place of the bed that it closes with"
            data-test="close-with"
            @change="(v) => v !== '' && closeWith(Number(v))"
          />
        </template>
      </p>
    </section>
    <section v-if="cut.plan.bedAgainst === 'voice'" class="card">
      <h3>Pocket for the voice</h3>
      <a-select
        :value="pocket"
        :options="pockets.map((one, k) => ({ value: k, label: one.words }))"
        size="small"
        class="wide"
        aria-label="Pocket"
        data-test="pocket"
        @change="(k) => set({ figure: 'pocket', value: pockets[Number(k)]?.pocket ?? null })"
      />
      <p v-if="cut.plan.pocketHz" class="soft numbers">
        at {{ Math.round(cut.plan.pocketHz) }} Hz, while somebody speaks
      </p>
    </section>
    <section v-if="cut.film?.hasSound" class="card" data-test="film-sound">
      <h3>The film's own sound</h3>
      <a-checkbox :checked="cut.film.soundOn" :disabled="busy" @change="film({ on: !cut.film?.soundOn })">
        is heard
      </a-checkbox>
      <a-checkbox
        :checked="cut.film.talk"
        :disabled="busy"
        data-test="film-talk"
        @change="emit('film', { about: 'film', do: 'talk', on: !cut.film?.talk })"
      >
        its talk is speech
      </a-checkbox>
      <template v-if="cut.film.soundOn">
        <p>
          at
          <NumberField
            :value="cut.film.gainDb"
            within="filmGainDb"
            label="Gain of the film's own sound, dB"
            data-test="film-gain"
            percent="gain"
            @set="(n) => film({ gainDb: n })"
          />, under speech
          <a-select
            :value="cut.film.rule"
            :options="RULES"
            size="small"
            aria-label="The film's own sound while somebody speaks"
            @change="(v) => film({ rule: v as FilmSound['rule'] })"
          />
          <template v-if="cut.film.rule === 'low'">
            by
            <NumberField
              :value="cut.film.lowerDb"
              within="lowerDb"
              label="By how many dB the film's own sound sinks under speech"
              data-test="film-lower"
              @set="(n) => film({ lowerDb: n })"
            />
            dB
          </template>
        </p>
        <p class="soft numbers">
          from {{ clock(cut.film.heardFromS, true) }} to {{ clock(cut.film.heardUntilS, true) }}
          <button
            v-if="cut.film.heardFromS > 0 || cut.film.heardUntilS < cut.lengthS - 0.01"
            class="as-button"
            :disabled="busy"
            @click="film({ fromSamples: 0, untilSamples: samples(cut.lengthS) })"
          >
            all over the cut
          </button>
        </p>
      </template>
      <template v-if="cut.bed">
        <button
          class="as-button"
          :disabled="busy || positionS <= 0"
          data-test="film-to-bed"
          @click="emit('film', { about: 'film', do: 'handOver', atSamples: samples(positionS), toBed: true })"
        >
          it gives over to the bed at {{ clock(positionS, true) }}
        </button>
        <button
          class="as-button"
          :disabled="busy || positionS <= 0"
          @click="emit('film', { about: 'film', do: 'handOver', atSamples: samples(positionS), toBed: false })"
        >
          the bed gives over to it
        </button>
      </template>
    </section>
    <section class="card">
      <h3>Ambiences</h3>
      <div v-for="one in cut.plan.ambiences" :key="one.hash" class="ambience" data-test="ambience">
        <b>{{ bare(one.name) }}</b>
        <button
          class="plain soft"
          :aria-label="`Take ${one.name} away`"
          @click="emit('levels', { about: 'levels', do: 'dropAmbience', sound: one.hash })"
        >
          take away
        </button>
        <a-select
          :value="one.rule"
          :options="RULES"
          size="small"
          :aria-label="`${one.name} while somebody speaks`"
          @change="(v) => ambience(one.hash, { rule: v as (typeof one)['rule'] })"
        />
        <span>
          <NumberField
            :value="one.underSpeechDb"
            within="byHandDb"
            label="Decibels under the voice"
            @set="(n) => ambience(one.hash, { underSpeechDb: n })"
          />
          dB
        </span>
        <span v-if="one.rule === 'low'" class="place">
          while somebody speaks lower by
          <NumberField
            :value="one.lowerDb"
            within="lowerDb"
            :label="`By how many dB ${one.name} sinks under speech`"
            data-test="ambience-lower"
            @set="(n) => ambience(one.hash, { lowerDb: n })"
          />
          dB
        </span>
        <span class="soft numbers place"
          >{{ clock(one.startS) }} to {{ clock(one.endS ?? cut.lengthS) }}
          <button
            class="plain"
            :disabled="busy || positionS >= (one.endS ?? cut.lengthS)"
            @click="
              ambience(one.hash, { startSamples: samples(positionS), endSamples: samples(one.endS ?? cut.lengthS) })
            "
          >
            from here
          </button>
          <button
            class="plain"
            :disabled="busy || positionS <= one.startS"
            @click="ambience(one.hash, { endSamples: samples(positionS) })"
          >
            until here
          </button>
        </span>
      </div>
      <p v-if="cut.plan.ambiences.length" class="soft">the rule is for while somebody speaks; dB under the voice</p>
      <a-upload :custom-request="bring" :show-upload-list="false" accept="audio/*">
        <span class="as-button" data-test="bring-ambience">bring one in</span>
      </a-upload>
    </section>
    <HouseCard :cut="cut" :busy="busy" @take="(house) => emit('levels', { about: 'levels', do: 'house', house })" />
    <section class="card">
      <h3>The whole</h3>
      <a-select
        :value="loudness.findIndex((one) => same(one.value, shape.targetLufs))"
        :options="loudness.map((one, k) => ({ value: k, label: one.words }))"
        size="small"
        class="wide"
        aria-label="Loudness of the whole"
        data-test="target"
        @change="(k) => set({ figure: 'targetLufs', value: loudness[Number(k)]?.value ?? null })"
      />
      <p v-if="cut.plan.masterGainDb != null" class="soft numbers">
        {{ cut.plan.masterGainDb >= 0 ? '+' : '−' }}{{ Math.abs(cut.plan.masterGainDb).toFixed(1) }} dB
      </p>
      <p v-if="cut.plan.heldBackDb" class="warn">
        The guard against peaks held {{ cut.plan.heldBackDb.toFixed(1) }} dB back: nothing goes over −1 dBTP.
      </p>
    </section>
  </aside>
</template>

<style scoped>
.figures {
  width: 272px;
  flex: none;
  overflow: hidden auto;
  padding: 0 10px 12px 0;
}
.card {
  padding: 9px 12px;
  margin-bottom: 8px;
}
.card h3 {
  margin: 0 0 4px;
}
.card p {
  margin: 3px 0;
}
.card .as-button {
  margin: 2px 0;
  text-align: left;
}
.card .plain {
  padding-inline: 0;
  margin-right: 10px;
  text-align: left;
}
.card :deep(.ant-input-number) {
  width: 62px;
}
.card p :deep(.ant-select) {
  min-width: 92px;
  max-width: 100%;
}
.wide {
  width: 100%;
}
.ambience {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 6px;
  align-items: center;
  margin-bottom: 6px;
}
.place {
  grid-column: 1 / -1;
}
</style>
