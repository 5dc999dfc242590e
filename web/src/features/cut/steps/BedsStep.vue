<script setup lang="ts">
import type { UploadProps } from 'ant-design-vue'
import { onMounted, ref, watch } from 'vue'
import { answer, sendFile, server, type BedView } from '../../../shared/http'
import { bare, clock, count, decibels } from '../../../shared/words'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const beds = ref<BedView[]>([])
const sending = ref<{ name: string; share: number } | null>(null)
const KINDS = '.wav,.wave,.aif,.aiff,.flac,.mp3,.ogg,.oga,.m4a,.mp4,.aac,audio/*'

async function loadBeds() {
  beds.value = await answer(server.GET('/api/beds')).catch(() => beds.value)
}
onMounted(loadBeds)
watch(() => props.cut.bed?.reading, loadBeds)

/** One upload at a time: the file goes to the server and nowhere else. */
function send(role: 'bed' | 'narration'): UploadProps['customRequest'] {
  return async ({ file }) => {
    const chosen = file as File
    sending.value = { name: chosen.name, share: 0 }
    await props.actions.change(() =>
      sendFile(`/api/cuts/${props.cut.id}/${role}`, chosen, (share) => {
        if (sending.value) sending.value.share = share
      }),
    )
    sending.value = null
  }
}
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Beds and voice</h2>
      <span class="soft">the music, and who speaks over it</span>
    </header>
    <div v-if="sending" class="card sending" role="status">
      Bringing in {{ sending.name }}
      <a-progress :percent="Math.round(sending.share * 100)" />
    </div>
    <div class="columns">
      <div>
        <h3>The bed</h3>
        <div v-if="cut.bed" class="card" data-test="bed-card">
          <b>{{ bare(cut.bed.name) }}</b>
          <dl class="facts">
            <dt>length</dt>
            <dd>{{ cut.bed.lengthS ? clock(cut.bed.lengthS, true) : 'being read' }}</dd>
            <dt>file</dt>
            <dd>
              {{
                cut.bed.rateHz
                  ? `${cut.bed.rateHz / 1000} kHz, ${cut.bed.channelCount === 1 ? 'mono' : 'stereo'}`
                  : 'being read'
              }}
            </dd>
            <dt>loudness</dt>
            <dd>
              {{
                cut.bed.reading?.integratedLufs != null
                  ? `${decibels(cut.bed.reading.integratedLufs)} LUFS as it came`
                  : cut.bed.reading
                    ? 'silent'
                    : 'being read'
              }}
            </dd>
          </dl>
          <p v-if="cut.bed.damaged" class="warn">
            This file breaks off before its end. What came before is used; export it again if something is missing.
          </p>
        </div>
        <a-upload-dragger
          :custom-request="send('bed')"
          :show-upload-list="false"
          :accept="KINDS"
          :disabled="sending !== null"
          data-test="bed-upload"
        >
          <p class="drop">{{ cut.bed ? 'Drop another bed here' : 'Drop the bed here' }}</p>
          <p class="soft">or click to choose: WAV, AIFF, FLAC, MP3, Ogg Vorbis, M4A, up to 2 GB</p>
        </a-upload-dragger>
      </div>
      <div>
        <h3>The narration</h3>
        <div v-if="cut.narration" class="card" data-test="narration-card">
          <b>{{ bare(cut.narration.name) }}</b>
          <dl class="facts">
            <dt>length</dt>
            <dd>{{ cut.narration.lengthS ? clock(cut.narration.lengthS, true) : 'being read' }}</dd>
            <dt>phrases</dt>
            <dd>{{ cut.narration.phraseCount ?? 'being read' }}</dd>
            <dt>loudness</dt>
            <dd>{{ cut.narration.integratedLufs != null ? `${decibels(cut.narration.integratedLufs)} LUFS` : '' }}</dd>
          </dl>
          <p v-if="cut.narration.phraseCount === 0" class="warn">No speech was found in it. Is it the right file?</p>
          <p v-if="cut.narration.damaged" class="warn">This file breaks off before its end.</p>
        </div>
        <a-upload-dragger
          :custom-request="send('narration')"
          :show-upload-list="false"
          :accept="KINDS"
          :disabled="sending !== null"
          data-test="narration-upload"
        >
          <p class="drop">{{ cut.narration ? 'Drop another take here' : 'Drop the narration here' }}</p>
          <p class="soft">it starts with the cut; its phrases and gaps are found</p>
        </a-upload-dragger>
      </div>
    </div>
    <template v-if="beds.length">
      <h3 class="here">
        Beds that are here already <small class="soft">{{ count(beds.length, 'bed') }}</small>
      </h3>
      <table class="beds">
        <thead>
          <tr>
            <th>name</th>
            <th>length</th>
            <th>tempo</th>
            <th>in a bar</th>
            <th>loudness</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="bed in beds" :key="bed.hash">
            <td>{{ bare(bed.name) }}</td>
            <td class="numbers">{{ clock(bed.lengthS) }}</td>
            <td class="numbers">{{ bed.tempoBpm ? `${Math.round(bed.tempoBpm)} BPM` : 'no beat' }}</td>
            <td>{{ bed.tempoBpm ? `${bed.metre} beats` : '' }}</td>
            <td class="numbers">{{ bed.integratedLufs != null ? `${decibels(bed.integratedLufs)} LUFS` : '' }}</td>
            <td>
              <span v-if="bed.hash === cut.bed?.hash" class="soft">in use</span>
              <a-button
                v-else
                size="small"
                :disabled="actions.busy.value"
                data-test="use-bed"
                @click="actions.takeBed(bed.hash)"
                >Use it here</a-button
              >
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
:deep(.ant-upload-wrapper) {
  display: block;
}
:deep(.ant-upload-drag) {
  height: auto;
}
.columns {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 28px;
}
.card {
  margin-bottom: 12px;
}
.card dl {
  margin-top: 6px;
}
.sending {
  max-width: 520px;
}
.drop {
  font-family: var(--serif);
  font-size: 17px;
  margin: 4px 0 2px;
}
.here {
  margin-top: 26px;
}
.beds {
  border-collapse: collapse;
  min-width: 640px;
}
.beds th {
  text-align: left;
  font-weight: 400;
  color: var(--soft);
}
.beds td,
.beds th {
  padding: 6px 22px 6px 0;
  border-bottom: 1px solid var(--line);
}
</style>
