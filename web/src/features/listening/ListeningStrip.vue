<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import { useKeys } from '../../shared/keys'
import type { CutView } from '../../shared/http'
import { bare, clock, count, decibels, secondsTyped } from '../../shared/words'
import type { Hear, Listening } from './useListening'
import { useMeters } from './useMeters'
import { wordsOf } from '../../shared/i18n'

const props = defineProps<{ cut: CutView; listening: Listening }>()

const ALL: { hear: Hear; label: string }[] = [
  { hear: 'everything', label: 'everything' },
  { hear: 'bed', label: 'bed' },
  { hear: 'voice', label: 'voice' },
  { hear: 'film', label: 'film' },
]
const CHOICES = computed(() => ALL.filter((choice) => choice.hear !== 'film' || props.cut.film?.hasSound))
/** What can be taken out of what is heard. */
const layers = computed(() => {
  const { cut } = props
  return [
    ...(cut.bed ? [{ key: 'bed', name: 'bed' }] : []),
    ...(cut.pieces.length ? [{ key: 'voice', name: 'voice' }] : []),
    ...(cut.film?.hasSound && cut.film.soundOn ? [{ key: 'film', name: "the film's own sound" }] : []),
    ...cut.plan.ambiences.map((one) => ({ key: one.hash, name: bare(one.name) })),
  ]
})
const ready = computed(() => props.cut.plan.lengthSamples > 0)
const tried = computed(() => props.cut.candidates.find((one) => one.hash === props.listening.candidate.value) ?? null)
/** The swell or dip that is heard now. */
const level = computed(() => {
  const at = props.listening.positionS.value
  const heard = props.cut.plan.levels.filter((object) => object.kind === 'dip' || object.kind === 'swell')
  return heard.find((object) => at >= object.startS && at < object.endS) ?? null
})
const meters = useMeters(() => props.cut)
/** How far the voice lies over the bed now, measured over three seconds. */
const over = computed(() => meters.value?.voiceOverBedDb[Math.floor(props.listening.positionS.value / 0.1)] ?? null)

/** Loudness of the mix now, and the highest so far, as measured. */
const loud = computed(() => {
  const until = Math.floor(props.listening.positionS.value / 0.1)
  const heard = meters.value?.momentaryLufs.slice(0, until + 1) ?? []
  const now = heard.at(-1)
  return now == null ? null : { now, most: Math.max(...heard.map((lufs) => lufs ?? -99)) }
})

/** A time that is typed into the clock moves the playhead. */
const typed = ref<string | null>(null)
const field = ref<HTMLInputElement>()
async function typeTime() {
  typed.value = clock(props.listening.positionS.value, true)
  await nextTick()
  field.value?.select()
}
function goTo() {
  const seconds = secondsTyped(typed.value ?? '')
  if (seconds === null) return
  typed.value = null
  props.listening.seek(Math.min(props.cut.lengthS, seconds))
}
/** While there is something to hear. */
const heard = (act: (event: KeyboardEvent) => unknown) => (event: KeyboardEvent) => ready.value && act(event)
const seekBy = (seconds: number) =>
  props.listening.seek(Math.min(props.cut.lengthS, Math.max(0, props.listening.positionS.value + seconds)))
useKeys(
  'Listening',
  [
    { key: ' ', what: 'play or stop', act: heard(() => props.listening.toggle()) },
    { key: 'r', what: 'repeat a passage', act: heard(() => props.listening.toggleRepeat()) },
    { key: 'ArrowLeft', what: 'a second back, five with Shift', act: heard((e) => seekBy(e.shiftKey ? -5 : -1)) },
    { key: 'ArrowRight', what: 'a second on, five with Shift', act: heard((e) => seekBy(e.shiftKey ? 5 : 1)) },
    { key: 'Home', what: 'to the beginning', act: heard(() => props.listening.seek(0)) },
    { key: 'b', what: 'a picture back', act: heard(() => props.listening.step(-1)) },
    { key: 'n', what: 'a picture on', act: heard(() => props.listening.step(1)) },
    {
      key: ['1', '2', '3', '4'],
      what: 'what is heard: everything, bed, voice, film',
      act: heard((event) => {
        const choice = CHOICES.value[Number(event.key) - 1]
        if (choice) props.listening.listenTo(choice.hear)
      }),
    },
    {
      key: '5',
      what: 'before the last change',
      act: heard(() => !!props.cut.plan.parent && props.listening.toggleBefore()),
    },
  ],
  { ofStep: false },
)
</script>

<template>
  <footer class="strip" aria-label="Listening">
    <button class="plain play" :disabled="!ready" data-test="play" @click="listening.toggle()">
      <svg width="12" height="14" viewBox="0 0 12 14" aria-hidden="true">
        <path v-if="!listening.playing.value" d="M0 0v14L12 7Z" fill="currentColor" />
        <path v-else d="M1 2h10v10H1Z" fill="currentColor" />
      </svg>
      {{ listening.playing.value ? 'Stop' : 'Play' }} <kbd>space</kbd>
    </button>
    <input
      v-if="typed !== null"
      ref="field"
      v-model="typed"
      class="position numbers typed"
      aria-label="Go to, minutes and seconds"
      data-test="go-to"
      @keydown.enter="goTo"
      @keydown.esc.stop="typed = null"
      @blur="typed = null"
    />
    <button
      v-else
      class="plain position numbers"
      title="Click to type where to go"
      data-test="position"
      :data-frame="listening.frame.value"
      :disabled="!ready"
      @click="typeTime"
    >
      {{ clock(listening.positionS.value, true) }}
    </button>
    <button
      class="plain"
      :class="{ on: listening.repeating.value }"
      :disabled="!ready"
      :aria-pressed="listening.repeating.value"
      title="Drag across the sheet to mark a passage"
      @click="listening.toggleRepeat()"
    >
      repeat
      {{
        listening.passage.value
          ? `${clock(listening.passage.value.fromS)} to ${clock(listening.passage.value.toS)}`
          : 'a passage'
      }}
      <kbd>R</kbd>
    </button>
    <div class="hear" role="radiogroup" aria-label="What to hear">
      <span class="soft">hear</span>
      <button
        v-for="(choice, k) in CHOICES"
        :key="choice.hear"
        class="plain"
        role="radio"
        :aria-checked="!tried && listening.hear.value === choice.hear"
        :class="{ on: !tried && listening.hear.value === choice.hear }"
        :data-test="`hear-${choice.hear}`"
        @click="listening.listenTo(choice.hear)"
      >
        {{ choice.label }} <kbd>{{ k + 1 }}</kbd>
      </button>
      <button
        v-if="cut.plan.parent"
        class="plain"
        :class="{ on: listening.before.value }"
        :aria-pressed="listening.before.value"
        :title="`Hear it without: ${wordsOf(cut.plan.what)}`"
        data-test="hear-before"
        @click="listening.toggleBefore()"
      >
        before this change <kbd>5</kbd>
      </button>
    </div>
    <a-popover v-if="layers.length > 2" trigger="click" placement="topLeft">
      <template #content>
        <table class="layers" data-test="layers">
          <tr v-for="layer in layers" :key="layer.key">
            <td>
              <a-checkbox :checked="!listening.without.value.includes(layer.key)" @change="listening.mute(layer.key)">{{
                layer.name
              }}</a-checkbox>
            </td>
            <td>
              <button
                class="plain"
                @click="
                  listening.only(
                    layer.key,
                    layers.map((one) => one.key),
                  )
                "
              >
                only this
              </button>
            </td>
          </tr>
        </table>
      </template>
      <button class="plain" :class="{ on: listening.without.value.length > 0 }" data-test="open-layers">
        {{ listening.without.value.length ? `without ${count(listening.without.value.length, 'layer')}` : 'layers' }}
      </button>
    </a-popover>
    <span class="level soft">
      <template v-if="tried">
        trying <b>{{ bare(tried.name) }}</b>
        <button class="plain" @click="listening.tryCandidate(null)">back to the plan</button>
      </template>
      <span
        v-if="loud && !tried"
        class="numbers"
        :title="`Loudness over 0.4 s; its highest so far ${decibels(loud.most)} LUFS`"
      >
        {{ decibels(loud.now) }} LUFS
      </span>
      <template v-if="!tried && over !== null">
        <span class="words">voice over bed{{ ' ' }}</span>
        <svg width="92" height="12" viewBox="0 0 92 12" aria-hidden="true" class="meter">
          <rect x="0.5" y="0.5" width="91" height="11" fill="none" />
          <rect x="1" y="1" :width="Math.max(0, Math.min(90, over * 3))" height="10" class="fill" />
          <line x1="61" x2="61" y1="0" y2="12" />
        </svg>
        <b class="numbers" :class="{ warn: over < 18 }">{{ over.toFixed(0) }} dB</b>
      </template>
      <template v-else-if="!tried && level">
        <span class="words">{{ level.kind === 'dip' ? 'bed under the voice ' : 'bed in the gap ' }}</span>
        <b class="numbers">{{ decibels(-level.underSpeechDb) }} dB</b>
      </template>
    </span>
  </footer>
</template>

<style scoped>
.strip {
  display: flex;
  align-items: center;
  gap: 2px 14px;
  flex-wrap: wrap;
  min-height: 52px;
  box-sizing: border-box;
  padding: 4px 22px;
  border-top: 1px solid var(--line);
  background: var(--ground);
  white-space: nowrap;
  min-width: 0;
}
.play {
  font-weight: 600;
}
.typed {
  width: 74px;
  background: var(--card);
  border: 1px solid var(--ink);
}
.position {
  font-size: 18px;
  min-width: 70px;
}
.hear {
  display: flex;
  align-items: center;
  gap: 4px;
}
.on {
  box-shadow: inset 0 -2px 0 var(--ink);
  color: var(--ink);
}
.level {
  margin-left: auto;
}
.level {
  display: flex;
  align-items: center;
  gap: 8px;
  overflow: hidden;
}
@media (max-width: 1360px) {
  .words {
    display: none;
  }
}
@media (width < 860px) {
  .hear {
    flex-wrap: wrap;
  }
}
.meter rect,
.meter line {
  stroke: var(--ink);
}
.meter .fill {
  fill: var(--band);
  stroke: none;
}
.level b.warn {
  color: var(--warn);
}
.level b {
  color: var(--ink);
}
</style>
