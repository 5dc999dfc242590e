<script setup lang="ts">
import { computed, onBeforeUnmount, reactive, ref, watch } from 'vue'
import { ask } from '../../shared/ask'
import { answer, server, type CutView, type ShelfPieceView } from '../../shared/http'
import { useAnswer } from '../../shared/query'
import { tell } from '../../shared/tell'
import { clock, count } from '../../shared/words'
import type { CutActions } from '../cut/useCut'
import type { Listening } from '../listening/useListening'

/** Music of a supplier: found, heard over the film, taken with its terms. */
const props = defineProps<{ cut: CutView; actions: CutActions; listening: Listening }>()
const wanted = reactive({ words: '', mood: '', tempo: '', length: '', singing: '' })
const TEMPI: Record<string, [number?, number?]> = { slow: [undefined, 90], middle: [90, 120], quick: [120, undefined] }
const LENGTHS: Record<string, [number?, number?]> = {
  short: [undefined, 80],
  middle: [80, 120],
  long: [120, undefined],
}

const query = computed(() => {
  const [tempoFromBpm, tempoToBpm] = TEMPI[wanted.tempo] ?? []
  const [lengthFromS, lengthToS] = LENGTHS[wanted.length] ?? []
  return {
    words: wanted.words || undefined,
    mood: wanted.mood || undefined,
    tempoFromBpm,
    tempoToBpm,
    lengthFromS,
    lengthToS,
    singing: wanted.singing ? wanted.singing === 'with' : undefined,
  }
})
/** What may be used depends on what the cut is for, and what it has. */
const depends = () => [props.cut.commercial, props.cut.paidPlan, props.cut.candidates.length]
const { data: found, error } = useAnswer(
  () => ['cut', props.cut.id, 'shelf', query.value, depends()],
  (signal) =>
    answer(server.GET('/api/cuts/{id}/shelf', { params: { path: { id: props.cut.id }, query: query.value }, signal })),
  { staysUntilNext: true, toldBeside: true },
)
const pieces = computed(() => found.value?.pieces ?? [])
const moods = computed(() => found.value?.moods ?? [])
const problem = computed(() => error.value?.message)

/** The piece that is heard, straight from the shelf, while the film runs. */
const heard = ref<string | null>(null)
const waiting = ref<string | null>(null)
let sound: HTMLAudioElement | null = null

function hush() {
  sound?.pause()
  sound = null
  heard.value = null
  waiting.value = null
}
onBeforeUnmount(hush)
watch(
  () => props.listening.playing.value,
  (playing) => playing && hush(),
)

async function listen(piece: ShelfPieceView) {
  const again = heard.value === piece.id
  hush()
  if (again) return
  props.listening.stop()
  const player = new Audio(`/api/shelf/${piece.id}/sound`)
  sound = player
  waiting.value = piece.id
  player.onended = hush
  player.onerror = () => {
    if (sound === player) {
      hush()
      tell('This piece did not arrive. Try again.')
    }
  }
  player.onplaying = () => {
    waiting.value = null
    heard.value = piece.id
  }
  await player.play().catch(() => undefined)
}

function take(piece: ShelfPieceView) {
  if (!piece.objection) return void props.actions.takePiece(piece.id, false)
  ask({
    title: piece.objection,
    content: 'If you take it all the same, this warning stays in the record of the cut and in its check.',
    yes: 'Take it all the same',
    no: 'Leave it',
    onYes: () => props.actions.takePiece(piece.id, true),
  })
}
</script>

<template>
  <div class="shelf" data-test="shelf">
    <div class="search" role="search">
      <a-input
        v-model:value="wanted.words"
        placeholder="words: style, title, maker"
        allow-clear
        data-test="shelf-words"
      />
      <a-select v-model:value="wanted.mood" aria-label="Mood" data-test="shelf-mood">
        <a-select-option value="">any mood</a-select-option>
        <a-select-option v-for="mood in moods" :key="mood" :value="mood">{{ mood }}</a-select-option>
      </a-select>
      <a-select v-model:value="wanted.tempo" aria-label="Tempo">
        <a-select-option value="">any tempo</a-select-option>
        <a-select-option value="slow">up to 90 BPM</a-select-option>
        <a-select-option value="middle">90 to 120 BPM</a-select-option>
        <a-select-option value="quick">over 120 BPM</a-select-option>
      </a-select>
      <a-select v-model:value="wanted.length" aria-label="Length">
        <a-select-option value="">any length</a-select-option>
        <a-select-option value="short">up to 1:20</a-select-option>
        <a-select-option value="middle">1:20 to 2:00</a-select-option>
        <a-select-option value="long">over 2:00</a-select-option>
      </a-select>
      <a-select v-model:value="wanted.singing" aria-label="Singing">
        <a-select-option value="">sung or not</a-select-option>
        <a-select-option value="without">no singing</a-select-option>
        <a-select-option value="with">with singing</a-select-option>
      </a-select>
      <span class="soft">{{ count(pieces.length, 'piece') }}</span>
    </div>
    <a-alert v-if="problem" type="error" :message="problem" />
    <p v-else-if="!pieces.length" class="soft">Nothing on the shelf is like that. Ask for less at once.</p>
    <table v-else>
      <thead>
        <tr>
          <th><span class="unseen">listen</span></th>
          <th>piece</th>
          <th>mood</th>
          <th>tempo</th>
          <th>length</th>
          <th>terms of use</th>
          <th><span class="unseen">take</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="piece in pieces" :key="piece.id" data-test="shelf-piece">
          <td>
            <button class="plain" :class="{ on: heard === piece.id }" @click="listen(piece)">
              {{ heard === piece.id ? 'stop' : waiting === piece.id ? 'coming …' : 'listen' }}
            </button>
          </td>
          <td>
            <b>{{ piece.title }}</b> <span class="soft">by {{ piece.maker }}</span> <br /><small class="soft"
              >{{ piece.style }}{{ piece.singing ? '' : ', not sung' }}</small
            >
          </td>
          <td>{{ piece.moods.join(', ') }}</td>
          <td class="numbers">{{ Math.round(piece.tempoBpm) }} BPM, in {{ piece.metre }}</td>
          <td class="numbers">{{ clock(piece.lengthS) }}</td>
          <td>
            {{ piece.terms }}
            <span v-if="piece.objection" class="warn" data-test="objection"><br />not for this cut</span>
          </td>
          <td>
            <span v-if="piece.taken" class="soft">taken</span>
            <a-button
              v-else
              size="small"
              :disabled="actions.busy.value"
              :title="piece.objection ?? 'Take it into this cut'"
              data-test="shelf-take"
              @click="take(piece)"
              >Take</a-button
            >
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.search {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-bottom: 8px;
}
.search .ant-input-affix-wrapper {
  width: 240px;
}
.search .ant-select {
  width: 132px;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--soft);
}
td,
th {
  padding: 5px 14px 5px 0;
  border-bottom: 1px solid var(--line);
  vertical-align: top;
}
td:first-child {
  width: 66px;
}
.on {
  box-shadow: inset 0 -2px 0 var(--ink);
}
</style>
