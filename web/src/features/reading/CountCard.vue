<script setup lang="ts">
import { computed } from 'vue'
import type { BedReading } from '../../drawing/bars'
import { count } from '../../shared/words'
import type { Correction } from '../../shared/http'
import { wordsOf } from '../../shared/i18n'

/** How the bed is counted, and every way to count it otherwise. */
const props = defineProps<{ reading: BedReading; taps: number; tapsBpm: number | null }>()
const emit = defineEmits<{ say: [correction: Correction]; tap: [] }>()

const SURE = { sure: 'sure', fair: 'fairly sure', unsure: 'not sure: count along' }
const METRES = [2, 3, 4, 5, 6, 7]
const opinions = computed(() => props.reading.secondOpinions)
const metre = computed({
  get: () => props.reading.metre,
  set: (beats: number) => emit('say', { what: 'metre', beats }),
})
</script>

<template>
  <section class="card" aria-label="The count">
    <h3>The count</h3>
    <p class="now">
      <b data-test="tempo">{{ reading.tempoBpm ? `${reading.tempoBpm.toFixed(1)} BPM` : 'no beat found' }}</b>
      <button class="plain" title="Half as many beats" data-test="half" @click="emit('say', { what: 'halfTempo' })">
        half <kbd>−</kbd>
      </button>
      <button
        class="plain"
        title="Twice as many beats"
        data-test="double"
        @click="emit('say', { what: 'doubleTempo' })"
      >
        twice <kbd>+</kbd>
      </button>
    </p>
    <p class="now">
      <a-select v-model:value="metre" size="small" aria-label="Beats in a bar" data-test="metre">
        <a-select-option v-for="beats in METRES" :key="beats" :value="beats">{{ beats }} in a bar</a-select-option>
      </a-select>
      <span :class="{ warn: reading.beatsSure === 'unsure', soft: reading.beatsSure !== 'unsure' }">{{
        SURE[reading.beatsSure]
      }}</span>
    </p>
    <dl class="facts">
      <dt>bars begin</dt>
      <dd>
        <button class="plain" data-test="earlier" @click="emit('say', { what: 'shiftBars', beats: -1 })">
          a beat earlier <kbd>[</kbd>
        </button>
        <button class="plain" data-test="later" @click="emit('say', { what: 'shiftBars', beats: 1 })">
          later <kbd>]</kbd>
        </button>
      </dd>
      <dt>all beats</dt>
      <dd>
        <button class="plain" @click="emit('say', { what: 'nudge', samples: -480 })">10 ms earlier <kbd>,</kbd></button>
        <button class="plain" @click="emit('say', { what: 'nudge', samples: 480 })">later <kbd>.</kbd></button>
        <button
          class="plain"
          title="What is counted as beats lies between them"
          data-test="off-beats"
          @click="emit('say', { what: 'offBeats' })"
        >
          half a beat later <kbd>H</kbd>
        </button>
      </dd>
      <dt>by ear</dt>
      <dd>
        <button class="plain" data-test="tap" @click="emit('tap')">tap along <kbd>T</kbd></button>
        <span v-if="taps" class="soft numbers" data-test="tapped" role="status"
          >{{ count(taps, 'tap') }}<template v-if="tapsBpm">, {{ tapsBpm.toFixed(1) }} BPM</template></span
        >
      </dd>
    </dl>
    <template v-if="opinions.length">
      <p class="soft or">Or is it …</p>
      <p v-for="opinion in opinions" :key="wordsOf(opinion.words)" class="opinion">
        <button class="plain" data-test="opinion" @click="emit('say', opinion.correction)">
          {{ wordsOf(opinion.words) }}
        </button>
        <span class="soft numbers">{{ opinion.percent }} %</span>
      </p>
    </template>
  </section>
</template>

<style scoped>
.now {
  display: flex;
  align-items: center;
  gap: 8px;
  margin: 0 0 8px;
}
.now b {
  font-size: 17px;
  min-width: 92px;
}
.now .plain,
dd .plain {
  white-space: nowrap;
}
dl.facts {
  gap: 4px 10px;
}
.opinion .plain {
  text-align: left;
}
.or {
  margin: 12px 0 2px;
}
.opinion {
  display: flex;
  justify-content: space-between;
  margin: 0;
}
</style>
