<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { layoutCloseUp, CLOSE } from '../../drawing/closeUp'
import { answerAt, type CloseUp, type CutView, type Of, type SpliceView } from '../../shared/http'
import { useAnswer } from '../../shared/query'
import NumberField from '../../shared/NumberField.vue'
import { clock, decibels, samples } from '../../shared/words'
import { wordsOf } from '../../shared/i18n'

/** One splice: both sides over each other, and everything that can be changed of it. */
const props = defineProps<{ cut: CutView; splice: SpliceView; index: number; count: number; busy: boolean }>()
const emit = defineEmits<{ say: [change: Of<'fit'>]; hear: []; go: [index: number] }>()

const REACHES = [2.4, 0.6, 0.12, 0.03]
const zoom = ref(1)
const address = () =>
  `/api/cuts/${props.cut.id}/revisions/${props.cut.plan.revision}/splices/${props.index}?reachS=${REACHES[zoom.value]}`
const { data: view } = useAnswer(
  () => [address()],
  (signal) => answerAt<CloseUp>(address(), signal),
  { isForEver: true, staysUntilNext: true, toldBeside: true },
)
const holder = ref<HTMLElement>()
const { width } = useElementSize(holder)
const picture = computed(() => (view.value ? layoutCloseUp(view.value, width.value || 480) : null))

const LAWS = [
  { value: 'measured', label: 'level held, as measured' },
  { value: 'equalPower', label: 'equal power' },
  { value: 'equalGain', label: 'equal gain' },
]
type Touch = Omit<Extract<Of<'fit'>, { do: 'touch' }>, 'about' | 'do' | 'splice'>
const touch = (what: Touch) => emit('say', { about: 'fit', do: 'touch', splice: props.splice.name, ...what })
/** What keys ask for while the change before is made: added up, and said once that is done. */
let waiting = { nudgeSamples: 0, laterBeats: 0 }
function move(by: { nudgeSamples?: number; laterBeats?: number }) {
  if (!props.busy) return touch(by)
  waiting = {
    nudgeSamples: waiting.nudgeSamples + (by.nudgeSamples ?? 0),
    laterBeats: waiting.laterBeats + (by.laterBeats ?? 0),
  }
}
const nudge = (samples: number) => move({ nudgeSamples: samples })
const later = (beats: number) => move({ laterBeats: beats })
// Another splice is at hand: what was asked of the one before is not meant for it.
watch(
  () => [props.splice.name.leaveSamples, props.splice.name.enterSamples],
  ([leave, enter], [leaveBefore, enterBefore]) => {
    if (leave !== leaveBefore || enter !== enterBefore) waiting = { nudgeSamples: 0, laterBeats: 0 }
  },
)
watch(
  () => props.busy,
  (busy) => {
    if (busy) return
    const { nudgeSamples, laterBeats } = waiting
    waiting = { nudgeSamples: 0, laterBeats: 0 }
    if (nudgeSamples !== 0 || laterBeats !== 0)
      touch({ ...(nudgeSamples && { nudgeSamples }), ...(laterBeats && { laterBeats }) })
  },
)
const nextBest = () => emit('say', { about: 'fit', do: 'wish', wish: { what: 'noSplice', ...props.splice.name } })
const terms = computed(() => props.splice.terms.map((t) => `${wordsOf(t.name)} ${t.cost.toFixed(2)}`).join(', '))
const joint = computed(() =>
  view.value ? `${view.value.jointDb < 0 ? '−' : '+'}${Math.abs(view.value.jointDb).toFixed(1)} dB` : '',
)
const meets = computed(() => {
  const later = props.splice.laterMs / 1000
  return later === 0
    ? 'on the bar line'
    : `${Math.abs(later).toFixed(2)} s ${later > 0 ? 'after' : 'before'} the bar line`
})
defineExpose({ nudge, later, nextBest })
</script>

<template>
  <section class="close-up" aria-label="Splice close up" data-test="close-up">
    <header>
      <h3>
        Splice {{ index + 1 }}<small v-if="count > 1" class="soft"> of {{ count }}</small>
      </h3>
      <span class="soft">
        <b class="numbers">{{ clock(splice.atS, true) }}</b> bar {{ splice.leaveBar }} goes on at bar
        {{ splice.enterBar }}
      </span>
      <span
        class="hard"
        title="How hard it is to hear, 0 to 100: the chance that such a join was a good one when measured, less what it surprises more than the bed's own bar lines do"
      >
        <b class="numbers">{{ splice.hardToHear }}</b> of 100 hard to hear
      </span>
    </header>
    <div ref="holder" class="picture">
      <svg
        v-if="picture"
        :width="width"
        :height="CLOSE.height"
        role="img"
        :aria-label="`Both sides of splice ${index + 1}`"
      >
        <rect x="0.5" y="0.5" :width="width - 1" :height="CLOSE.levelTop - 4" class="paper" />
        <rect :x="picture.fadeX" y="1" :width="picture.fadeWidth" :height="CLOSE.levelTop - 5" class="fade" />
        <path :d="picture.leaving" class="leaving" />
        <path :d="picture.entering" class="entering" />
        <line x1="0" :x2="width" :y1="CLOSE.middle" :y2="CLOSE.middle" class="axis" />
        <line v-for="x in picture.leavingBeats" :key="`l${x}`" :x1="x" :x2="x" y1="2" y2="12" class="beat" />
        <line
          v-for="x in picture.enteringBeats"
          :key="`e${x}`"
          :x1="x"
          :x2="x"
          :y1="CLOSE.levelTop - 15"
          :y2="CLOSE.levelTop - 5"
          class="beat"
        />
        <path :d="picture.gainOut" class="gain" />
        <path :d="picture.gainIn" class="gain" />
        <line :x1="picture.zero" :x2="picture.zero" y1="1" :y2="CLOSE.levelTop - 5" class="line" />
        <text x="6" y="24" class="side">leaving</text>
        <text x="6" :y="CLOSE.levelTop - 20" class="side">entering</text>
        <path :d="picture.level" class="level" />
        <text x="6" :y="CLOSE.height - 3" class="side">level through the joint {{ joint }}</text>
      </svg>
      <div v-else class="soft waiting" role="status">looking closer …</div>
    </div>
    <div class="doing">
      <a-button size="small" data-test="hear-splice" @click="emit('hear')"
        >Hear two bars around it <kbd>↵</kbd></a-button
      >
      <a-button size="small" :disabled="busy" data-test="next-best" @click="nextBest"
        >Try the next best place <kbd>T</kbd></a-button
      >
      <button class="plain" title="Closer, or from farther" @click="zoom = (zoom + 1) % REACHES.length">
        {{ REACHES[zoom]! >= 0.1 ? `${REACHES[zoom]} s` : `${REACHES[zoom]! * 1000} ms` }} either side
      </button>
    </div>
    <div class="doing">
      <span class="soft">entering side</span>
      <button class="plain" :disabled="busy" @click="nudge(-48)">1 ms earlier <kbd>,</kbd></button>
      <button class="plain" :disabled="busy" data-test="nudge-later" @click="nudge(48)">later <kbd>.</kbd></button>
      <button class="plain" :disabled="busy" @click="nudge(-1)">1 sample earlier <kbd>&lt;</kbd></button>
      <button class="plain" :disabled="busy" @click="nudge(1)">later <kbd>&gt;</kbd></button>
    </div>
    <div class="doing">
      <span class="soft"
        >both meet <span class="numbers" data-test="meets">{{ meets }}</span></span
      >
      <button class="plain" :disabled="busy" @click="touch({ laterBeats: -1 })">a beat earlier <kbd>;</kbd></button>
      <button class="plain" :disabled="busy" @click="touch({ laterBeats: 1 })">later <kbd>'</kbd></button>
      <template v-if="count > 1">
        <button class="plain" @click="emit('go', (index + count - 1) % count)">‹ splice before</button>
        <button class="plain" @click="emit('go', (index + 1) % count)">next ›</button>
      </template>
    </div>
    <div class="doing">
      <span class="soft">crossfade</span>
      <NumberField
        :value="Math.round(splice.crossfadeMs)"
        within="crossfadeMs"
        label="Length of the crossfade in milliseconds"
        data-test="crossfade"
        @set="(ms) => touch({ fadeSamples: samples(ms / 1000) })"
      />
      ms
      <a-select
        :value="splice.law"
        :options="LAWS"
        size="small"
        aria-label="How it crosses"
        class="law"
        @change="(law) => touch({ law: law as SpliceView['law'] })"
      />
      <a-checkbox
        :checked="splice.rings"
        :disabled="busy"
        title="A chord or a voice that would stop dead here goes on in a room, under what enters"
        data-test="rings"
        @change="touch({ rings: !splice.rings })"
        >what is left rings on</a-checkbox
      >
    </div>
    <p class="soft why">
      {{ wordsOf(splice.why) }}. Its spectrum changes more than at {{ splice.surprisePercent }} % of the bed's own bar
      lines; both sides are {{ splice.correlation > 0.5 ? 'alike' : 'unlike' }} in the crossfade ({{
        decibels(splice.correlation)
      }}).<template v-if="terms"> What it cost: {{ terms }}.</template>
    </p>
  </section>
</template>

<style scoped>
header {
  display: flex;
  align-items: baseline;
  gap: 10px;
}
.hard {
  margin-left: auto;
  white-space: nowrap;
}
.picture {
  min-height: 190px;
}
.waiting {
  padding: 80px 0;
  text-align: center;
}
.paper {
  fill: var(--card);
  stroke: var(--line);
}
.fade {
  fill: color-mix(in srgb, var(--voice) 12%, transparent);
}
.leaving {
  fill: var(--left);
}
.entering {
  fill: var(--entered);
}
.axis {
  stroke: var(--ground);
}
.beat {
  stroke: var(--ink);
}
.line {
  stroke: var(--voice);
  stroke-width: 1.4;
}
.gain {
  fill: none;
  stroke: var(--voice);
  stroke-width: 1.2;
}
.side {
  font-size: 12px;
  fill: var(--soft);
}
.level {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.3;
}
.doing {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 8px;
  margin-top: 4px;
}
/* Comes to stand under the buttons, in line with them. */
.doing > .ant-btn ~ .plain {
  margin-left: -6px;
}
.law {
  width: 180px;
}
.doing :deep(.ant-input-number) {
  width: 64px;
}
.why {
  margin-top: 8px;
  font-size: 12.5px;
}
</style>
