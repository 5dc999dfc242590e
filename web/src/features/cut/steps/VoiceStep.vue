<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { ask } from '../../../shared/ask'
import DropArea from '../../../shared/DropArea.vue'
import { SOUNDS, useSending } from '../../../shared/files'
import SendingList from '../../../shared/SendingList.vue'
import { useKeys } from '../../../shared/keys'
import { bare, clock, count, decibels, samples } from '../../../shared/words'
import FilmView from '../../film/FilmView.vue'
import TakeStrip from '../../voice/TakeStrip.vue'
import { linesOf, textOf } from '../../voice/lines'
import { useRecorder } from '../../voice/useRecorder'
import { useVoices } from '../useCut'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const recorder = useRecorder(() => props.cut, props.actions, props.listening)
const { state, device, devices, phones, levelDbfs, counting, recordedS } = recorder
onMounted(recorder.recover)
const waves = useVoices(
  () => props.cut.id,
  () => props.cut.takes.filter((take) => take.phrases?.length).map((take) => take.hash),
)
const PHONES = [
  { value: 'silent', label: 'nothing' },
  { value: 'low', label: 'the cut, low' },
  { value: 'full', label: 'the cut' },
]

const { sending, send } = useSending()
const bringIn = (file: File) => send(file, (progress) => props.actions.send('takes', file, progress))

/** The written lines as they are being edited: one a line, its time before it. */
const text = ref('')
const written = computed(() => textOf(props.cut.lines))
watch(written, (now) => (text.value = now), { immediate: true })
const unread = ref<string | null>(null)

const saveAll = (lines: { atS: number; words: string }[]) => {
  const all = lines.map(({ atS, words }) => ({ startSamples: samples(atS), words }))
  return props.actions.say({ about: 'voice', do: 'lines', lines: all })
}
async function saveLines(): Promise<boolean> {
  const lines = linesOf(text.value, props.cut.lengthS)
  unread.value = typeof lines === 'number' ? `Line ${lines} lies behind the end of the cut.` : null
  if (typeof lines === 'number') return false
  return text.value === written.value || saveAll(lines)
}

async function speak() {
  if (await saveLines()) await props.actions.say({ about: 'voice', do: 'speak' })
}

const now = computed(() => {
  const at = props.listening.positionS.value
  return [...props.cut.lines].reverse().find((line) => line.atS <= at + 0.3) ?? null
})
const next = computed(() => props.cut.lines.find((line) => line.atS > props.listening.positionS.value + 0.3) ?? null)
const busy = computed(() => state.value !== 'idle')

/** A phrase is named by its middle. */
function usePhrase(take: string, { startS, endS }: { startS: number; endS: number }) {
  void props.actions.say({ about: 'voice', do: 'useTake', take, phrase: samples((startS + endS) / 2) })
}

function drop(hash: string, name: string) {
  ask({
    title: `Take "${name}" away?`,
    content: 'What is used of it goes too. Undo brings it back; the recording itself stays stored.',
    yes: 'Take it away',
    no: 'Keep it',
    onYes: () => props.actions.say({ about: 'voice', do: 'dropTake', take: hash }),
  })
}

useKeys('Voice', [
  { key: 'v', what: 'record, or stop recording', act: () => void (busy.value ? recorder.stop() : recorder.record()) },
  { key: ' ', what: 'stop recording', act: () => (busy.value ? void recorder.stop() : false) },
])
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Voice</h2>
      <span class="soft">record it here, bring in files, or have the lines spoken until the narrator comes</span>
    </header>
    <div class="columns">
      <div class="stage">
        <FilmView :cut="cut" :listening="listening" />
        <div class="prompt" aria-live="polite">
          <p v-if="state === 'opening'" class="soft">Opening the microphone …</p>
          <p v-else-if="state === 'counting'" class="count" data-test="count-in">{{ counting }}</p>
          <template v-else>
            <p class="line">{{ now?.words ?? ' ' }}</p>
            <p class="soft">{{ next ? `at ${clock(next.atS, true)}: ${next.words}` : ' ' }}</p>
          </template>
        </div>
        <div class="record">
          <a-button
            type="primary"
            :danger="busy"
            :loading="state === 'saving'"
            data-test="record"
            @click="busy ? recorder.stop() : recorder.record()"
          >
            {{ state === 'idle' ? 'Record from here' : state === 'saving' ? 'Bringing it in' : 'Stop' }}
          </a-button>
          <kbd>V</kbd>
          <span v-if="state === 'recording'" class="numbers" data-test="recorded">{{ clock(recordedS, true) }}</span>
          <span v-else class="soft">from {{ clock(listening.positionS.value, true) }}, after a count of three</span>
        </div>
        <div
          class="meter"
          role="meter"
          aria-label="Level of the microphone"
          aria-valuemin="-60"
          aria-valuemax="0"
          :aria-valuenow="Math.round(levelDbfs)"
        >
          <span
            :style="{ width: `${Math.max(0, Math.min(100, (levelDbfs + 60) / 0.6))}%` }"
            :class="{ hot: levelDbfs > -3 }"
          ></span>
          <i style="left: 75%"></i><i style="left: 95%"></i>
        </div>
        <p class="soft scale">
          <span>{{ levelDbfs > -89 ? `${decibels(Math.round(levelDbfs))} dBFS` : 'level' }}</span>
          <span>peaks between −15 and −3 dBFS are right</span>
        </p>
        <dl class="facts">
          <dt>from</dt>
          <dd>
            <a-select
              :value="device"
              size="small"
              :disabled="busy"
              :options="devices.map((one) => ({ value: one.id, label: one.label }))"
              aria-label="Microphone"
              data-test="device"
              @change="(id: unknown) => recorder.choose(String(id))"
            />
            <button class="plain" :disabled="busy" @click="recorder.open().then((opened) => opened?.start())">
              test it
            </button>
          </dd>
          <dt>in the phones</dt>
          <dd>
            <a-select
              v-model:value="phones"
              size="small"
              :disabled="busy"
              :options="PHONES"
              aria-label="In the phones"
            />
          </dd>
        </dl>
      </div>
      <div class="right">
        <h3>Takes</h3>
        <p v-if="!cut.takes.length" class="soft">
          No take yet. Record one, drop a file, or write lines and have them spoken.
        </p>
        <ol class="takes">
          <li v-for="take in cut.takes" :key="take.hash" data-test="take" :class="{ used: take.used }">
            <b>{{ bare(take.name) }}</b>
            <span class="soft">
              at {{ clock(take.atS, true)
              }}<template v-if="take.lengthS">, {{ clock(take.lengthS, true) }} long</template
              ><template v-if="take.phrases">, {{ count(take.phrases.length, 'phrase') }}</template
              ><template v-if="take.integratedLufs != null">, {{ decibels(take.integratedLufs) }} LUFS</template>
            </span>
            <span class="acts">
              <span v-if="!take.phrases" class="soft">being read …</span>
              <a-button
                v-else-if="take.origin !== 'scratch'"
                size="small"
                :disabled="actions.busy.value"
                data-test="use-take"
                @click="actions.say({ about: 'voice', do: 'useTake', take: take.hash })"
                >Use all of it</a-button
              >
              <a-checkbox
                v-if="take.phrases?.length && take.origin !== 'scratch'"
                :checked="take.withoutNoise"
                data-test="clean"
                :title="
                  take.noiseFloorDbfs != null
                    ? `The room between the phrases lies at ${decibels(Math.round(take.noiseFloorDbfs))} dBFS.`
                    : undefined
                "
                @change="actions.say({ about: 'voice', do: 'clean', take: take.hash, on: !take.withoutNoise })"
                >without its steady noise</a-checkbox
              >
              <button class="plain soft" @click="drop(take.hash, bare(take.name))">take away</button>
            </span>
            <p v-if="take.soundsLike" class="warn">
              This sounds like {{ take.soundsLike === 'music' ? 'music' : 'a room' }}. If it is no narration, take it
              away and drop it on {{ take.soundsLike === 'music' ? 'Beds' : 'Shape, as an ambience' }}.
            </p>
            <p v-if="take.damaged" class="warn">This file breaks off before its end.</p>
            <p v-if="take.phrases?.length === 0" class="warn">No speech was found in it. Is it the right file?</p>
            <TakeStrip
              v-if="take.phrases?.length"
              :take="take"
              :length-s="cut.lengthS"
              :wave="waves[take.hash]"
              @seek="listening.seek"
              @use="(phrase) => usePhrase(take.hash, phrase)"
            />
          </li>
        </ol>
        <p v-if="cut.takes.length" class="soft">
          Filled phrases are heard. Click an empty one to use that phrase of that take.
        </p>
        <SendingList :sending="sending" />
        <DropArea
          title="Drop a narration here"
          hint="it starts with the cut; its phrases and gaps are found"
          :accept="SOUNDS"
          :disabled="sending.length > 0"
          test="narration-upload"
          @file="bringIn"
        />
        <p v-if="cut.film?.hasSound" class="soft" data-test="film-talk">
          {{
            cut.film.talk
              ? 'The talk in the film is speech as well: the bed goes under it.'
              : 'Is somebody talking in the film?'
          }}
          <button
            class="plain"
            :disabled="actions.busy.value"
            data-test="take-film-talk"
            @click="actions.say({ about: 'film', do: 'talk', on: !cut.film?.talk })"
          >
            {{ cut.film.talk ? 'not so' : 'take it for speech' }}
          </button>
        </p>
        <h3 class="written">
          Written lines <small class="soft">a time, then the words; captions fill this at Picture</small>
        </h3>
        <a-textarea
          v-model:value="text"
          :rows="6"
          placeholder="0:06.2  For ninety years the market hall told the time."
          data-test="lines"
        />
        <p v-if="unread" class="warn">{{ unread }}</p>
        <p class="act">
          <a-button size="small" :disabled="text === written" data-test="save-lines" @click="saveLines"
            >Keep the lines</a-button
          >
          <a-button size="small" :disabled="!text.trim() || actions.busy.value" data-test="speak" @click="speak"
            >Have them spoken where nobody speaks</a-button
          >
        </p>
      </div>
    </div>
  </section>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: 400px 1fr;
  gap: 30px;
}
@media (width < 1120px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .stage {
    max-width: 560px;
  }
}
.prompt {
  min-height: 76px;
  padding: 8px 4px;
}
.prompt p {
  margin: 0;
}
.line {
  font-family: var(--serif);
  font-size: 21px;
  line-height: 1.25;
  color: var(--voice);
}
.count {
  font-family: var(--serif);
  font-size: 48px;
  line-height: 1;
}
.record {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-bottom: 10px;
}
.meter {
  position: relative;
  height: 12px;
  border: 1px solid var(--ink);
  background: var(--card);
}
.meter span {
  display: block;
  height: 100%;
  background: var(--band);
}
.meter span.hot {
  background: var(--warn);
}
.meter i {
  position: absolute;
  top: -3px;
  bottom: -3px;
  width: 1px;
  background: var(--ink);
}
.scale {
  display: flex;
  justify-content: space-between;
  font-size: 12px;
  margin: 2px 0 12px;
}
.stage .ant-select {
  min-width: 250px;
}
.takes {
  list-style: none;
  margin: 0;
  padding: 0;
}
.takes li {
  padding: 6px 0 8px;
  border-bottom: 1px solid var(--line);
}
.takes .acts {
  display: flex;
  gap: 12px;
  align-items: center;
  justify-content: flex-end;
}
.takes b {
  font-family: var(--serif);
  font-size: 16px;
  margin-right: 8px;
}
.takes p {
  margin: 2px 0;
}
.written {
  margin-top: 18px;
}
.act {
  display: flex;
  gap: 10px;
  margin-top: 8px;
}
</style>
