<script setup lang="ts">
import { computed } from 'vue'
import type { CutView, Figure, Of } from '../../shared/http'
import NumberField from '../../shared/NumberField.vue'
import AmbiencesCard from './AmbiencesCard.vue'
import FilmCard from './FilmCard.vue'
import HouseCard from './HouseCard.vue'
import OpeningCard from './OpeningCard.vue'

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

const pockets = computed(() => props.cut.plan.pocketChoices)
const same = (a: unknown, b: unknown) => JSON.stringify(a ?? null) === JSON.stringify(b ?? null)
const pocket = computed(() => pockets.value.findIndex((one) => same(one.pocket, shape.value.pocket)))

const loudness = computed(() => props.cut.plan.loudnessChoices)
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
    <OpeningCard
      v-if="cut.plan.bedAgainst === 'voice'"
      :cut="cut"
      :busy="busy"
      :position-s="positionS"
      @levels="(change) => emit('levels', change)"
      @voice="(change) => emit('voice', change)"
    />
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
    <FilmCard
      v-if="cut.film?.hasSound"
      :cut="cut"
      :film="cut.film"
      :busy="busy"
      :position-s="positionS"
      @film="(change) => emit('film', change)"
    />
    <AmbiencesCard
      :cut="cut"
      :busy="busy"
      :position-s="positionS"
      @levels="(change) => emit('levels', change)"
      @bring="(file) => emit('bringAmbience', file)"
    />
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

<style>
.figures {
  width: 272px;
  flex: none;
  overflow: hidden auto;
  padding: 0 10px 12px 0;
}
.figures .card {
  padding: 9px 12px;
  margin-bottom: 8px;
}
.figures .card h3 {
  margin: 0 0 4px;
}
.figures .card p {
  margin: 3px 0;
}
.figures .card .as-button {
  margin: 2px 0;
  text-align: left;
}
.figures .card .plain {
  padding-inline: 0;
  margin-right: 10px;
  text-align: left;
}
.figures .card .ant-input-number {
  width: 62px;
}
.figures .card p .ant-select {
  min-width: 92px;
  max-width: 100%;
}
.figures .wide {
  width: 100%;
}
</style>
