<script setup lang="ts">
import { message } from 'ant-design-vue'
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { answer, sendFile, server, type Description, type CutSummary } from '../../shared/http'
import DropArea from '../../shared/DropArea.vue'
import { CUT_LISTS, FILMS, isFilm } from '../../shared/files'
import { bare } from '../../shared/words'
import CutForm from './CutForm.vue'
import { emptyForm, rateOf, RATES, type CutFormValue } from './rates'

const router = useRouter()
const cuts = ref<CutSummary[] | null>(null)
const problem = ref<string | null>(null)
const busy = ref(false)
const value = ref<CutFormValue>(emptyForm())
/** The frame rate of edit lists, which carry none; empty infers it. */
const listRate = ref('')

onMounted(async () => {
  try {
    cuts.value = await answer(server.GET('/api/cuts'))
  } catch (cause) {
    problem.value = (cause as Error).message
  }
})

async function make(body: Description) {
  busy.value = true
  try {
    const cut = await answer(server.POST('/api/cuts', { body }))
    await router.push(`/cuts/${cut.id}/picture`)
  } catch (cause) {
    message.error((cause as Error).message, 6)
  } finally {
    busy.value = false
  }
}

/** A cut from an edit list or a film: both say how long it is. */
async function fromFile(chosen: File) {
  busy.value = true
  const rate = listRate.value ? rateOf(listRate.value) : null
  const query = rate ? `?num=${rate.num}&den=${rate.den}&dropFrame=${rate.dropFrame}` : ''
  const place = isFilm(chosen.name) ? 'from-film' : `from-list${query}`
  try {
    const cut = await sendFile<{ id: string }>(`/api/cuts/${place}`, chosen, () => undefined)
    await router.push(`/cuts/${cut.id}/picture`)
  } catch (cause) {
    message.error((cause as Error).message, 8)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="home">
    <header>
      <h1>Jaunty Bar</h1>
      <p class="soft">Makes a music bed as long as the cut, and lets it breathe with the narration.</p>
    </header>
    <a-alert v-if="problem" type="error" :message="problem" show-icon />
    <div class="columns">
      <section>
        <h3>Cuts</h3>
        <p v-if="cuts?.length === 0" class="soft">
          There is no cut yet. Make one: its title, its length and its frame rate are enough.
        </p>
        <router-link v-for="cut in cuts" :key="cut.id" :to="`/cuts/${cut.id}`" class="card cut" data-test="cut">
          <b>{{ cut.title }}</b>
          <span class="numbers soft">{{ cut.lengthTimecode }} at {{ cut.rate.label }} frames</span>
          <span class="soft">{{ cut.bed ? bare(cut.bed) : 'no bed yet' }}</span>
          <span class="soft">{{ cut.narration ? bare(cut.narration) : 'no narration yet' }}</span>
        </router-link>
      </section>
      <section>
        <h3>New cut, from a file</h3>
        <div class="card start">
          <DropArea
            title="Drop an edit list or a film"
            hint="OpenTimelineIO, CMX 3600, MP4, WebM"
            :accept="`${CUT_LISTS},${FILMS}`"
            :disabled="busy"
            test="from-file"
            @file="fromFile"
          />
          <label class="soft">
            frames a second of a list
            <a-select v-model:value="listRate" size="small" data-test="list-rate">
              <a-select-option value="">inferred</a-select-option>
              <a-select-option v-for="rate in RATES" :key="rate.key" :value="rate.key">{{
                rate.label
              }}</a-select-option>
            </a-select>
          </label>
        </div>
        <h3>New cut, by hand</h3>
        <CutForm v-model="value" action="Make it" :busy="busy" brief @submit="make" />
      </section>
    </div>
  </main>
</template>

<style scoped>
.home {
  max-width: 980px;
  margin: 0 auto;
  padding: 24px;
}
header {
  border-bottom: 1px solid var(--ink);
  margin-bottom: 20px;
}
h1 {
  font-size: 36px;
}
.columns {
  display: grid;
  grid-template-columns: 1fr 320px;
  gap: 40px;
}
.start {
  margin-bottom: 16px;
  padding: 12px 16px;
}
.start label {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-top: 10px;
}
.start .ant-select {
  width: 130px;
}
.cut {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 20px;
  margin-bottom: 10px;
  align-content: start;
  color: var(--ink);
  overflow-wrap: anywhere;
}
.cut:hover {
  border-color: var(--ink);
}
.cut b {
  font-family: var(--serif);
  font-size: 17px;
}
</style>
