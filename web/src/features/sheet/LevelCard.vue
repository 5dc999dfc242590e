<script setup lang="ts">
import { computed } from 'vue'
import type { LaneView } from '../../drawing/lanes'
import type { CutView, LevelChange, LevelName, LevelView } from '../../shared/http'
import NumberField from '../../shared/NumberField.vue'
import { bare, clock } from '../../shared/words'
import { SLOPES } from './choices'

/** One swell, dip, fade or passage with all that can be said of it; of the bed, or of another lane. */
const props = defineProps<{ cut: CutView; level: LevelView; lane?: LaneView | null; busy: boolean }>()
const emit = defineEmits<{ change: [change: LevelChange, also?: LevelName[]]; giveBack: []; close: [] }>()

const seconds = (value: number) => Math.round(value * 100) / 100

const TITLES = {
  swell: 'Swell in the gap',
  dip: 'Dip',
  emphasis: 'Emphasis',
  fadeIn: 'Fade in',
  fadeOut: 'Fade out',
  sweep: 'Passage by hand',
}
const SHAPES = [
  { value: 'equalPower', label: 'equal power' },
  { value: 'linearDb', label: 'even in dB' },
  { value: 'linear', label: 'linear' },
  { value: 's', label: 'slow at both ends' },
]
/** What can be set alike elsewhere. */
const ALIKE = ['swell', 'dip', 'emphasis']
/** The same kind of object elsewhere, which can be set alike. */
const others = computed(() =>
  (props.lane ?? props.cut.plan).levels
    .filter((o) => o.kind === props.level.kind && o !== props.level)
    .map((o) => o.name),
)

/** The others get its level; each keeps the length that its gap has room for. */
function alike() {
  emit('change', { underSpeechDb: props.level.underSpeechDb }, others.value)
}
</script>

<template>
  <div
    class="card level"
    role="dialog"
    :aria-label="TITLES[level.kind]"
    data-test="level-card"
    @keydown.esc="emit('close')"
  >
    <h3>
      <template v-if="lane">{{ bare(lane.name) }}: </template>{{ TITLES[level.kind] }}
      {{ clock(level.startS, true) }} to {{ clock(level.endS, true) }}
    </h3>
    <dl class="facts">
      <template v-if="level.kind === 'swell' || level.kind === 'dip' || level.kind === 'emphasis'">
        <dt>{{ level.kind === 'swell' ? 'up to' : level.kind === 'dip' ? 'down to' : 'deeper by' }}</dt>
        <dd>
          <NumberField
            :value="level.underSpeechDb"
            within="byHandDb"
            label="Decibels under the voice"
            percent="under"
            data-test="level-db"
            @set="(n) => emit('change', { underSpeechDb: n })"
          />
          {{ level.kind === 'emphasis' ? '' : ' under the voice' }}
        </dd>
      </template>
      <template v-if="level.kind === 'sweep'">
        <dt>by</dt>
        <dd>
          <NumberField
            :value="level.gainDb"
            within="sweepDb"
            label="Decibels up or down"
            percent="gain"
            data-test="sweep-db"
            @set="(n) => emit('change', { gainDb: n })"
          />
          in this passage alone
        </dd>
      </template>
      <template v-if="level.riseS > 0 || level.kind === 'fadeIn' || level.kind === 'sweep'">
        <dt>{{ { fadeIn: 'lasts', sweep: 'begins over' }[level.kind as string] ?? 'rises in' }}</dt>
        <dd>
          <NumberField
            :value="seconds(level.riseS)"
            within="byHandS"
            :step="0.1"
            label="Seconds of the rise"
            data-test="level-rise"
            @set="(n) => emit('change', { riseS: n })"
          />
          s
          <a-select
            v-if="level.kind === 'swell' || level.kind === 'sweep'"
            :value="level.riseSlope"
            :options="SLOPES"
            size="small"
            class="slope"
            aria-label="How it rises"
            @change="(v) => emit('change', { riseSlope: v as LevelView['riseSlope'] })"
          />
          <small v-if="level.topOnBar" class="soft">top on bar {{ level.topOnBar }}</small>
        </dd>
      </template>
      <template v-if="level.fallS > 0 || level.kind === 'fadeOut' || level.kind === 'sweep'">
        <dt>{{ { fadeOut: 'lasts', sweep: 'ends over' }[level.kind as string] ?? 'falls in' }}</dt>
        <dd>
          <NumberField
            :value="seconds(level.fallS)"
            within="byHandS"
            :step="0.1"
            label="Seconds of the fall"
            data-test="level-fall"
            @set="(n) => emit('change', { fallS: n })"
          />
          s
          <a-select
            v-if="level.kind === 'swell' || level.kind === 'sweep'"
            :value="level.fallSlope"
            :options="SLOPES"
            size="small"
            class="slope"
            aria-label="How it falls"
            @change="(v) => emit('change', { fallSlope: v as LevelView['fallSlope'] })"
          />
        </dd>
      </template>
      <template v-if="level.fadeShape">
        <dt>shape</dt>
        <dd>
          <a-select
            :value="level.fadeShape"
            :options="SHAPES"
            size="small"
            class="slope"
            aria-label="Shape of the fade"
            @change="(v) => emit('change', { fadeShape: v as NonNullable<LevelView['fadeShape']> })"
          />
        </dd>
      </template>
    </dl>
    <p :class="level.byHand ? 'hand' : 'soft'">
      {{
        level.byHand ? 'set by hand: it stays when the plan is made anew' : lane ? 'as usual' : 'follows the narration'
      }}
    </p>
    <a-button v-if="others.length && ALIKE.includes(level.kind)" size="small" :disabled="busy" @click="alike">
      Set all {{ others.length + 1 }} so
    </a-button>
    <a-button v-if="level.byHand" size="small" :disabled="busy" data-test="give-back" @click="emit('giveBack')">
      {{ level.kind === 'emphasis' || level.kind === 'sweep' ? 'Take it away' : 'Back to the rule' }}
    </a-button>
    <a-button size="small" @click="emit('close')">Close</a-button>
  </div>
</template>

<style scoped>
.level {
  width: 372px;
  box-shadow: 0 4px 14px rgb(0 0 0 / 18%);
}
.level p {
  margin: 8px 0;
}
.level .ant-btn + .ant-btn {
  margin-left: 6px;
}
.level :deep(.ant-input-number) {
  width: 66px;
}
.slope {
  width: 158px;
}
.hand {
  color: var(--hand);
}
</style>
