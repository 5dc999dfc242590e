<script setup lang="ts">
import { message } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import { useKeys } from '../../../shared/keys'
import type { Description, MomentKind, Of } from '../../../shared/http'
import DropArea from '../../../shared/DropArea.vue'
import { CUT_LISTS, FILMS, isFilm, OTHER_LISTS, useSending } from '../../../shared/files'
import SendingList from '../../../shared/SendingList.vue'
import { bare, count } from '../../../shared/words'
import CutForm from '../../cuts/CutForm.vue'
import { formOf, type CutFormValue } from '../../cuts/rates'
import FilmView from '../../film/FilmView.vue'
import PictureLines from '../../picture/PictureLines.vue'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const value = ref<CutFormValue>(formOf(props.cut))
const describing = ref(false)
const { sending, send } = useSending()
const selected = ref<{ kind: 'shot' | 'moment'; index: number } | null>(null)
const KINDS: { value: MomentKind; label: string; key: string }[] = [
  { value: 'hit', label: 'hit', key: 'h' },
  { value: 'title', label: 'title', key: 't' },
  { value: 'credits', label: 'credits', key: 'c' },
  { value: 'other', label: 'other moment', key: 'o' },
]
watch(
  () => [
    props.cut.title,
    props.cut.lengthTimecode,
    props.cut.rate.label,
    props.cut.firstTimecode,
    props.cut.commercial,
  ],
  () => (value.value = formOf(props.cut)),
)

async function save(body: Description) {
  if (await props.actions.say({ about: 'cut', do: 'describe', ...body })) {
    describing.value = false
    message.success('Saved.')
  }
}

const bringIn = (file: File) =>
  send(file, (progress) => props.actions.send(isFilm(file.name) ? 'film' : 'picture/list', file, progress))

/** What is selected, as it can be changed. */
const editing = ref<{ name: string; timecode: string; frame: number; still: boolean; kind: MomentKind } | null>(null)
const marks = computed(() => [props.cut.shots, props.cut.moments])
watch([selected, marks], () => {
  const at = selected.value
  const shot = at?.kind === 'shot' ? props.cut.shots[at.index] : undefined
  const moment = at?.kind === 'moment' ? props.cut.moments[at.index] : undefined
  if (shot) editing.value = { ...shot, kind: 'hit' }
  else if (moment) editing.value = { ...moment, still: false }
  else editing.value = null
})

const here = () => props.listening.frame.value
const film = (change: Partial<Of<'film'>>) => void props.actions.say({ about: 'film', ...change } as Of<'film'>)

async function begin() {
  const frame = here()
  if (await props.actions.say({ about: 'picture', do: 'beginShot', frame, name: '' })) select('shot', frame)
}

async function mark(kind: MomentKind) {
  const frame = here()
  if (await props.actions.say({ about: 'picture', do: 'markMoment', frame, kind, name: '' })) select('moment', frame)
}

/** Selects what begins at a frame, so that it can be named at once. */
function select(kind: 'shot' | 'moment', frame: number) {
  const list: { frame: number }[] = kind === 'shot' ? props.cut.shots : props.cut.moments
  const index = list.map((one) => one.frame).lastIndexOf(frame)
  if (index >= 0) selected.value = { kind, index }
}

/** A moment is named by when it is and what it is for. */
function momentName(index: number) {
  const { frame = 0, kind = 'hit' } = props.cut.moments[index] ?? {}
  return { frame, kind }
}

function apply(changes: Partial<NonNullable<typeof editing.value>> = {}) {
  const at = selected.value
  if (!at || !editing.value) return
  const { name, frame, still, kind } = { ...editing.value, ...changes }
  const [shot, moment] = [props.cut.shots[at.index]?.frame ?? 0, momentName(at.index)]
  if (at.kind === 'shot') void props.actions.say({ about: 'picture', do: 'changeShot', shot, frame, name, still })
  else void props.actions.say({ about: 'picture', do: 'changeMoment', moment, frame, kind, name })
}

function remove() {
  const at = selected.value
  if (!at) return
  selected.value = null
  const shot = props.cut.shots[at.index]?.frame ?? 0
  if (at.kind === 'shot') void props.actions.say({ about: 'picture', do: 'removeShot', shot })
  else void props.actions.say({ about: 'picture', do: 'removeMoment', moment: momentName(at.index) })
}

useKeys('Picture', [
  { key: 'e', what: 'a shot begins here', act: () => void begin() },
  ...KINDS.map((kind) => ({ key: kind.key, what: `mark: ${kind.label}`, act: () => void mark(kind.value) })),
  { key: ['Delete', 'Backspace'], what: 'remove what is selected', act: () => !!selected.value && remove() !== null },
  { key: 'Escape', what: 'select nothing', act: () => (selected.value = null) === null },
])
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Picture</h2>
      <span class="soft">how long the cut is, and what happens in it</span>
    </header>
    <div class="top">
      <div class="screen">
        <FilmView :cut="cut" :listening="listening" />
        <p class="soft keys">
          <button class="plain" data-test="frame-back" @click="listening.step(-1)">
            one picture back <kbd>B</kbd>
          </button>
          <button class="plain" data-test="frame-on" @click="listening.step(1)">one on <kbd>N</kbd></button>
        </p>
      </div>
      <div class="facts-side">
        <CutForm v-if="describing" v-model="value" action="Save" :busy="actions.busy.value" @submit="save" />
        <template v-else>
          <dl class="facts">
            <dt>length</dt>
            <dd class="numbers">{{ cut.lengthTimecode }} at {{ cut.rate.label }} frames</dd>
            <dt>first timecode</dt>
            <dd class="numbers">{{ cut.firstTimecode }}</dd>
            <dt>made for</dt>
            <dd>
              {{ cut.commercial ? 'commercial use' : 'non-commercial use'
              }}{{ cut.paidPlan ? ', with a paid plan' : '' }}
            </dd>
            <dt>film</dt>
            <dd v-if="cut.film">
              {{ bare(cut.film.name) }}
              <a-checkbox
                v-if="cut.film.hasSound"
                :checked="cut.film.soundOn"
                data-test="film-sound"
                @change="
                  (event: { target: { checked?: boolean } }) => film({ do: 'sound', on: event.target.checked === true })
                "
                >hear its own sound</a-checkbox
              >
              <button class="plain soft" @click="film({ do: 'drop' })">take it away</button>
              <p v-if="cut.film.differs" class="warn">
                {{ cut.film.differs }}
                <a-button size="small" @click="film({ do: 'length' })">Make the cut like the film</a-button>
              </p>
            </dd>
            <dd v-else class="soft">none yet: shot names stand in</dd>
          </dl>
          <p class="act">
            <a-button size="small" data-test="describe" @click="describing = true"
              >Change length, rate or purpose</a-button
            >
            <a :href="`/api/cuts/${cut.id}/picture/shots.otio`">shots as OpenTimelineIO</a>
            <a :href="`/api/cuts/${cut.id}/picture/shots.edl`">as edit list</a>
          </p>
          <SendingList :sending="sending" />
          <DropArea
            :title="cut.film ? 'Drop a newer film or list' : 'Drop the film or a list of shots'"
            hint="MP4, WebM, OpenTimelineIO, CMX 3600, CSV of moments, WebVTT or SubRip captions"
            :accept="`${CUT_LISTS},${OTHER_LISTS},${FILMS}`"
            :disabled="sending.length > 0"
            test="picture-upload"
            @file="bringIn"
          />
        </template>
      </div>
    </div>
    <details
      v-if="cut.list"
      class="report"
      :open="cut.list.changes.length + cut.list.unused.length > 0"
      data-test="list-report"
    >
      <summary>
        {{ cut.list.file }}, {{ cut.list.format }}: {{ cut.list.used || 'nothing' }} used<template
          v-if="cut.list.changes.length"
          >, {{ count(cut.list.changes.length, 'change') }}</template
        ><template v-if="cut.list.unused.length"
          >, <span class="warn">{{ count(cut.list.unused.length, 'line') }} not used</span></template
        >
      </summary>
      <ul>
        <li v-for="(change, k) in cut.list.changes" :key="`c${k}`">{{ change }}</li>
        <li v-for="(line, k) in cut.list.unused" :key="`u${k}`" class="unused">
          <span v-if="line.line" class="numbers soft">line {{ line.line }}</span> <code>{{ line.text }}</code>
          {{ line.reason }}
        </li>
      </ul>
    </details>
    <div class="marks">
      <div class="tools">
        <button class="plain" data-test="begin-shot" @click="begin">a shot begins here <kbd>E</kbd></button>
        <button
          v-for="kind in KINDS"
          :key="kind.value"
          class="plain"
          :data-test="`mark-${kind.value}`"
          @click="mark(kind.value)"
        >
          {{ kind.label }} <kbd>{{ kind.key.toUpperCase() }}</kbd>
        </button>
        <span class="soft">marked where the film stands, also while it plays</span>
        <button
          v-if="cut.shots.length"
          class="plain"
          data-test="all-stills"
          @click="actions.say({ about: 'picture', do: 'stills', all: !cut.shots.every((shot) => shot.still) })"
        >
          {{ cut.shots.every((shot) => shot.still) ? 'no shot is a still' : 'all shots are stills' }}
        </button>
      </div>
      <div v-if="editing && selected" class="edit card" data-test="mark-editor">
        <b>{{ selected.kind === 'shot' ? `Shot ${selected.index + 1}` : 'Moment' }}</b>
        <span class="numbers">{{ editing.timecode }}</span>
        <a-input
          v-model:value="editing.name"
          size="small"
          :maxlength="120"
          aria-label="Name"
          data-test="mark-name"
          @press-enter="apply()"
          @blur="editing.name !== (selected.kind === 'shot' ? cut.shots : cut.moments)[selected.index]?.name && apply()"
        />
        <a-select
          v-if="selected.kind === 'moment'"
          v-model:value="editing.kind"
          size="small"
          :options="KINDS"
          aria-label="What it is for"
          @change="(kind: unknown) => apply({ kind: kind as MomentKind })"
        />
        <a-checkbox
          v-else
          :checked="editing.still"
          data-test="mark-still"
          @change="(event: { target: { checked?: boolean } }) => apply({ still: event.target.checked === true })"
          >a still: its hold may change</a-checkbox
        >
        <button class="plain" @click="apply({ frame: here() })">move it here</button>
        <button class="plain" @click="remove">remove <kbd>Delete</kbd></button>
      </div>
      <p v-if="!cut.shots.length && !cut.moments.length" class="soft">
        No shots are known yet. Drop a list above, or play and press E where a shot begins.
      </p>
      <PictureLines
        :cut="cut"
        :position-s="listening.positionS.value"
        :selected="selected"
        @seek="listening.seek"
        @select="(kind, index) => (selected = { kind, index })"
      />
      <table class="unseen">
        <caption>
          Shots and moments
        </caption>
        <tbody>
          <tr v-for="(shot, k) in cut.shots" :key="`s${k}`" data-test="shot-row">
            <td>shot</td>
            <td>{{ shot.timecode }}</td>
            <td>{{ shot.name }}</td>
            <td><button @click="selected = { kind: 'shot', index: k }">change</button></td>
          </tr>
          <tr v-for="(moment, k) in cut.moments" :key="`m${k}`" data-test="moment-row">
            <td>{{ moment.kind }}</td>
            <td>{{ moment.timecode }}</td>
            <td>{{ moment.name }}</td>
            <td><button @click="selected = { kind: 'moment', index: k }">change</button></td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.top {
  display: grid;
  grid-template-columns: minmax(240px, 400px) minmax(290px, 1fr);
  gap: 26px;
  align-items: start;
}
@media (width < 860px) {
  .top {
    grid-template-columns: minmax(0, 1fr);
  }
}
.keys {
  margin: 4px 0 0;
}
.facts-side .facts {
  margin-bottom: 10px;
}
.act {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  align-items: baseline;
}
.report {
  margin: 12px 0 0;
}
.report ul {
  margin: 6px 0 0;
  padding-left: 18px;
  max-height: 130px;
  overflow: auto;
}
.report code {
  font-size: 12px;
  margin-right: 8px;
  overflow-wrap: anywhere;
}
.marks {
  margin-top: 14px;
  border-top: 1px solid var(--line);
  padding-top: 8px;
}
.tools {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.edit {
  display: flex;
  align-items: center;
  gap: 14px;
  margin: 6px 0;
  padding: 8px 12px;
}
.edit .ant-input {
  width: 240px;
}
.edit .ant-select {
  width: 140px;
}
</style>
