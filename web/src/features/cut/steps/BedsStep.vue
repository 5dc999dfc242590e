<script setup lang="ts">
import { computed, onBeforeUnmount } from 'vue'
import { answer, server, type CandidateView, type Kind, type Opinion, type Terms } from '../../../shared/http'
import { useKeys } from '../../../shared/keys'
import DropArea from '../../../shared/DropArea.vue'
import { useAnswer } from '../../../shared/query'
import { SOUNDS, useSending } from '../../../shared/files'
import SendingList from '../../../shared/SendingList.vue'
import { bare, clock, count, decibels } from '../../../shared/words'
import EnergyCurve from '../../beds/EnergyCurve.vue'
import { peaksOf } from '../../beds/peaks'
import ShelfView from '../../beds/ShelfView.vue'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const { sending, send } = useSending()
const { data: others } = useAnswer(
  () => ['beds'],
  (signal) => answer(server.GET('/api/beds', { signal })),
  { toldBeside: true },
)
const OPINIONS: { value: Opinion; label: string }[] = [
  { value: 'yes', label: 'yes' },
  { value: 'maybe', label: 'maybe' },
  { value: 'no', label: 'no' },
]
const KINDS: { value: Kind; label: string }[] = [
  { value: 'music', label: 'music' },
  { value: 'speech', label: 'speech' },
  { value: 'room', label: 'room sound' },
]
/** What somebody may say of a file of their own. */
const TERMS: { value: Terms | ''; label: string }[] = [
  { value: '', label: 'terms not said' },
  { value: 'freeWithCredit', label: 'free with credit' },
  { value: 'nonCommercialOnly', label: 'non-commercial only' },
  { value: 'oneProject', label: 'one project only' },
]
function sayTerms(candidate: CandidateView, terms: Terms | null, credit = candidate.ownTerms?.credit ?? '') {
  void props.actions.say({ about: 'bed', do: 'candidate', sound: candidate.hash, terms: { terms, credit } })
}
const ENDS = {
  ownEnding: 'its own ending',
  ownFade: 'its own fade',
  stop: 'a stop that rings out',
  fade: 'a fade',
  silence: 'silence at the end',
} as const

const elsewhere = computed(() =>
  (others.value ?? []).filter((bed) => !props.cut.candidates.some((candidate) => candidate.hash === bed.hash)),
)

const bringIn = (file: File) =>
  send(file, (progress, entry) => {
    // Drawn from the file itself, so that it is seen while it is still on its way.
    void peaksOf(file, 120, (peaks) => {
      entry.levelsDb = peaks.map((peak) => 20 * Math.log10(peak || 1e-3))
    }).catch(() => undefined)
    return props.actions.send('candidates', file, progress)
  })

const tried = computed(() => props.listening.candidate.value)
const triable = computed(() => props.cut.candidates.filter((candidate) => candidate.fit))

function listen(candidate: CandidateView) {
  if (tried.value === candidate.hash && props.listening.playing.value) props.listening.stop()
  else {
    props.listening.tryCandidate(candidate.hash)
    if (!props.listening.playing.value) void props.listening.play()
  }
}

/** The next or last candidate at the same moment of the picture. */
function turn(by: number) {
  const all = triable.value
  if (!all.length) return
  const at = all.findIndex((candidate) => candidate.hash === tried.value)
  const next = all[(at + by + all.length) % all.length] ?? all[0]
  if (next) props.listening.tryCandidate(next.hash)
}

useKeys('Beds', [
  { key: 'ArrowDown', what: 'hear the next candidate at the same moment', act: () => turn(1) },
  { key: 'ArrowUp', what: 'hear the one before', act: () => turn(-1) },
])
// Elsewhere in the page one hears the plan again.
onBeforeUnmount(() => props.listening.tryCandidate(null))

function note(candidate: CandidateView, event: Event) {
  const text = (event.target as HTMLInputElement).value
  if (text !== candidate.note)
    void props.actions.say({ about: 'bed', do: 'candidate', sound: candidate.hash, note: text })
}
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Beds</h2>
      <span class="soft">the music to choose from, heard under the voice and against the picture</span>
    </header>
    <p v-if="!cut.candidates.length" class="soft">
      There is no music here yet. Drop one or more files, or look on the shelf below.
    </p>
    <ol class="candidates" data-test="candidates">
      <li
        v-for="candidate in cut.candidates"
        :key="candidate.hash"
        :class="{ chosen: candidate.chosen, tried: tried === candidate.hash, no: candidate.opinion === 'no' }"
        data-test="candidate"
      >
        <div class="who">
          <b>{{ bare(candidate.name) }}</b>
          <small v-if="candidate.chosen" class="hand"> is the bed</small>
          <div class="soft">
            <template v-if="!candidate.kind">{{ candidate.lengthS ? 'being recognised' : 'being read' }} …</template>
            <template v-else-if="candidate.reading">
              {{ clock(candidate.lengthS ?? 0) }},
              {{
                candidate.reading.tempoBpm
                  ? `${Math.round(candidate.reading.tempoBpm)} BPM in ${candidate.reading.metre}`
                  : 'no beat'
              }}<template v-if="candidate.reading.key">, {{ candidate.reading.key }}</template
              ><template v-if="candidate.licence">, {{ candidate.licence.singing ? 'sung' : 'not sung' }}</template>
            </template>
            <template v-else>{{ clock(candidate.lengthS ?? 0) }}</template>
          </div>
          <label v-if="candidate.kind" class="kind soft">
            {{ candidate.kindByHand ? 'is' : candidate.kindSure === 'sure' ? 'sounds like' : 'may be' }}
            <a-select
              size="small"
              :value="candidate.kind"
              :options="KINDS"
              :bordered="false"
              :class="{ warn: candidate.kind !== 'music' }"
              data-test="candidate-kind"
              @change="
                (kind: unknown) =>
                  actions.say({ about: 'bed', do: 'candidate', sound: candidate.hash, kind: kind as Kind })
              "
            />
          </label>
        </div>
        <div class="curve">
          <template v-if="candidate.reading">
            <EnergyCurve :levels-db="candidate.reading.barLevelsDb" :width="250" :height="34" />
            <small class="soft">{{ candidate.reading.form || 'no sections' }}</small>
          </template>
          <small v-if="candidate.damaged" class="warn">breaks off before its end</small>
        </div>
        <div class="facts-column">
          <template v-if="candidate.fit">
            <span class="figure" data-test="fit-figure">{{ candidate.fit.figure }}</span>
            <small class="soft">
              of 100, best fitting<br />{{ count(candidate.fit.spliceCount, 'splice') }}, {{ ENDS[candidate.fit.end] }}
            </small>
          </template>
          <small v-else-if="candidate.reading" class="soft">being fitted …</small>
          <small v-if="candidate.reading?.integratedLufs != null" class="soft loud">
            came at {{ decibels(candidate.reading.integratedLufs) }} LUFS
          </small>
        </div>
        <div class="say">
          <div class="opinions" role="radiogroup" :aria-label="`What you think of ${bare(candidate.name)}`">
            <button
              v-for="opinion in OPINIONS"
              :key="opinion.value"
              class="plain"
              role="radio"
              :aria-checked="candidate.opinion === opinion.value"
              :class="{ on: candidate.opinion === opinion.value }"
              :data-test="`opinion-${opinion.value}`"
              @click="actions.say({ about: 'bed', do: 'candidate', sound: candidate.hash, opinion: opinion.value })"
            >
              {{ opinion.label }}
            </button>
          </div>
          <input
            class="note"
            :value="candidate.note"
            placeholder="note"
            maxlength="500"
            :aria-label="`Note on ${bare(candidate.name)}`"
            @change="note(candidate, $event)"
          />
          <small v-if="candidate.licence" class="soft" :title="candidate.licence.credit">
            {{ candidate.licence.terms }}, licence {{ candidate.licence.number }}
          </small>
          <span v-if="!candidate.licence && candidate.reading" class="terms soft">
            <a-select
              size="small"
              :value="candidate.ownTerms?.terms ?? ''"
              :options="TERMS"
              :bordered="false"
              :aria-label="`Terms of use of ${bare(candidate.name)}`"
              data-test="own-terms"
              @change="(terms: unknown) => sayTerms(candidate, terms ? (terms as Terms) : null)"
            />
            <input
              v-if="candidate.ownTerms"
              class="note"
              :value="candidate.ownTerms.credit"
              placeholder="credit line"
              maxlength="500"
              :aria-label="`Credit line of ${bare(candidate.name)}`"
              data-test="own-credit"
              @change="sayTerms(candidate, candidate.ownTerms!.terms, ($event.target as HTMLInputElement).value)"
            />
          </span>
          <small v-if="candidate.objection ?? candidate.licence?.warned" class="warn" data-test="licence-warning">
            {{ candidate.objection ?? candidate.licence?.warned }}
          </small>
          <small
            v-if="candidate.licence?.singing && candidate.reading?.sungS === 0"
            class="warn"
            data-test="sold-as-sung"
          >
            Its supplier says it is sung, and no singing was heard: mark it in Reading.
          </small>
        </div>
        <div class="acts">
          <a-button
            size="small"
            :type="tried === candidate.hash ? 'primary' : 'default'"
            :disabled="!candidate.fit"
            data-test="try"
            @click="listen(candidate)"
          >
            {{ tried === candidate.hash && listening.playing.value ? 'Stop' : 'Hear it in the cut' }}
          </a-button>
          <a-button
            v-if="!candidate.chosen"
            size="small"
            :disabled="!candidate.reading || actions.busy.value"
            data-test="use-bed"
            @click="actions.say({ about: 'bed', do: 'use', sound: candidate.hash })"
            >Use it</a-button
          >
          <button class="plain soft" @click="actions.say({ about: 'bed', do: 'drop', sound: candidate.hash })">
            take away
          </button>
        </div>
      </li>
    </ol>
    <p v-if="triable.length > 1" class="soft">
      <kbd>↑</kbd> <kbd>↓</kbd> the next candidate at the same moment of the picture, without a gap. Each is fitted to
      the cut and brought down under the voice, so nothing shouts.
    </p>
    <div class="bring">
      <DropArea
        title="Drop music here, as many files as you like"
        hint="WAV, AIFF, FLAC, MP3, Ogg Vorbis, M4A, up to 2 GB each"
        :accept="SOUNDS"
        test="bed-upload"
        multiple
        @file="bringIn"
      />
      <a-select
        v-if="elsewhere.length"
        :value="undefined"
        placeholder="or a bed that another cut uses"
        aria-label="A bed that another cut uses"
        :options="elsewhere.map((bed) => ({ value: bed.hash, label: `${bare(bed.name)}, ${clock(bed.lengthS)}` }))"
        data-test="other-bed"
        @change="(hash: unknown) => actions.addCandidate(String(hash))"
      />
    </div>
    <SendingList :sending="sending" />
    <h3 class="shelf-head">The shelf <small class="soft">music of a supplier, each piece with its terms</small></h3>
    <ShelfView :cut="cut" :actions="actions" :listening="listening" />
  </section>
</template>

<style scoped>
.candidates {
  list-style: none;
  margin: 0;
  padding: 0;
}
.candidates li {
  display: grid;
  grid-template-columns: 210px 262px 150px 1fr 150px;
  gap: 14px;
  padding: 9px 10px;
  border-bottom: 1px solid var(--line);
  align-items: start;
}
@media (width < 1180px) {
  .candidates li {
    grid-template-columns: 210px 262px minmax(0, 1fr);
  }
  .candidates li .say {
    grid-column: 1 / 3;
  }
}
@media (width < 860px) {
  .candidates li {
    grid-template-columns: minmax(0, 1fr);
  }
  .candidates li .say {
    grid-column: auto;
  }
}
.candidates li.chosen {
  background: var(--card);
}
.candidates li.tried {
  box-shadow: inset 3px 0 0 var(--band);
}
.candidates li.no .who b {
  text-decoration: line-through;
}
.who b {
  font-family: var(--serif);
  font-size: 16px;
  overflow-wrap: anywhere;
}
.kind :deep(.ant-select) {
  min-width: 96px;
}
.curve small {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.facts-column {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 0 8px;
  align-items: center;
}
.figure {
  font-family: var(--serif);
  font-size: 26px;
}
.loud {
  grid-column: 1 / 3;
}
.say {
  display: grid;
  gap: 4px;
  min-width: 0;
}
.opinions .on {
  box-shadow: inset 0 -2px 0 var(--ink);
  font-weight: 600;
}
.note {
  border: 0;
  border-bottom: 1px solid var(--line);
  background: none;
  font: inherit;
  padding: 1px 2px;
  min-width: 0;
}
.terms {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
}
.terms :deep(.ant-select) {
  margin-left: -8px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  justify-content: flex-end;
}
.acts > :first-child {
  width: 100%;
}
.bring {
  display: flex;
  gap: 20px;
  align-items: center;
  margin: 8px 0 0;
}
.bring > :first-child {
  flex: 1;
}
.bring .ant-select {
  width: 260px;
}
.hand {
  color: var(--hand);
}
.shelf-head {
  margin-top: 22px;
}
</style>
