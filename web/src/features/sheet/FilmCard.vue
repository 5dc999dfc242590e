<script setup lang="ts">
import type { CutView, Of } from '../../shared/http'
import NumberField from '../../shared/NumberField.vue'
import { clock, samples } from '../../shared/words'
import { RULES } from './choices'

/** What is heard of the film's own sound. */
defineProps<{ cut: CutView; film: NonNullable<CutView['film']>; busy: boolean; positionS: number }>()
const emit = defineEmits<{ film: [change: Of<'film'>] }>()

type FilmSound = Extract<Of<'film'>, { do: 'sound' }>
const sound = (change: Partial<FilmSound>) => emit('film', { about: 'film', do: 'sound', ...change })
</script>

<template>
  <section class="card" data-test="film-sound">
    <h3>The film's own sound</h3>
    <a-checkbox :checked="film.soundOn" :disabled="busy" @change="sound({ on: !film.soundOn })"> is heard </a-checkbox>
    <a-checkbox
      :checked="film.talk"
      :disabled="busy"
      data-test="film-talk"
      @change="emit('film', { about: 'film', do: 'talk', on: !film.talk })"
    >
      its talk is speech
    </a-checkbox>
    <template v-if="film.soundOn">
      <p>
        at
        <NumberField
          :value="film.gainDb"
          within="filmGainDb"
          label="Gain of the film's own sound, dB"
          data-test="film-gain"
          percent="gain"
          @set="(n) => sound({ gainDb: n })"
        />, under speech
        <a-select
          :value="film.rule"
          :options="RULES"
          size="small"
          aria-label="The film's own sound while somebody speaks"
          @change="(v) => sound({ rule: v as FilmSound['rule'] })"
        />
        <template v-if="film.rule === 'low'">
          by
          <NumberField
            :value="film.lowerDb"
            within="lowerDb"
            label="By how many dB the film's own sound sinks under speech"
            data-test="film-lower"
            @set="(n) => sound({ lowerDb: n })"
          />
          dB
        </template>
      </p>
      <p class="soft numbers">
        from {{ clock(film.heardFromS, true) }} to {{ clock(film.heardUntilS, true) }}
        <button
          v-if="film.heardFromS > 0 || film.heardUntilS < cut.lengthS - 0.01"
          class="as-button"
          :disabled="busy"
          @click="sound({ fromSamples: 0, untilSamples: samples(cut.lengthS) })"
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
</template>
