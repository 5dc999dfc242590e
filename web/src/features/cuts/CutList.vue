<script setup lang="ts">
import { keepPreviousData, useInfiniteQuery } from '@tanstack/vue-query'
import { refDebounced, useStorage, useTitle } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { answer, sendFile, server, type Description, type CutSummary } from '../../shared/http'
import { me } from '../../shared/me'
import { queries, useAnswer } from '../../shared/query'
import { tell } from '../../shared/tell'
import DropArea from '../../shared/DropArea.vue'
import { CUTS, CUT_LISTS, FILMS, isCut, isFilm } from '../../shared/files'
import { bare } from '../../shared/words'
import CutForm from './CutForm.vue'
import { emptyForm, rateOf, useRates, type CutFormValue } from './rates'

const router = useRouter()
const busy = ref(false)
const value = ref<CutFormValue>(emptyForm())
const rates = useRates()
/** The frame rate of edit lists, which carry none; empty infers it. */
const listRate = ref('')

useTitle('Jaunty Bar')

/** Projects matter where there are several, or somebody only listens. */
const { data: found } = useAnswer(
  () => (me.value?.person ? ['projects'] : null),
  (signal) => answer(server.GET('/api/projects', { signal })),
)
const projects = computed(() => found.value ?? [])
const project = useStorage('jaunty-bar-project', '')
const shownProject = computed(() => projects.value.find((one) => one.id === project.value))
const roleIn = (id: string) => projects.value.find((one) => one.id === id)?.role ?? 'owner'
const nameOf = (id: string) => projects.value.find((one) => one.id === id)?.name
/** Where a new cut goes: the project that is looked at, or any in which one makes cuts. */
const makesIn = computed(() => (shownProject.value && shownProject.value.role !== 'listener' ? project.value : null))
const mayMake = computed(() => {
  const among = shownProject.value ? [shownProject.value] : projects.value
  return !among.length || among.some((one) => one.role !== 'listener')
})
const placeOf = (cut: CutSummary) => (roleIn(cut.project) === 'listener' ? `/listen/${cut.id}` : `/cuts/${cut.id}`)

const wanted = ref('')
const SORTS = [
  { value: 'newest', label: 'newest first' },
  { value: 'title', label: 'by title' },
  { value: 'length', label: 'shortest first' },
] as const
const sort = ref<(typeof SORTS)[number]['value']>('newest')
const day = (at: string) => (at ? new Date(at).toLocaleDateString([], { day: 'numeric', month: 'short' }) : '')

/** Cuts are asked for by the page; the server looks for words and sorts. */
const PAGE = 60
const wish = refDebounced(
  computed(() => ({ words: wanted.value || undefined, sort: sort.value, project: shownProject.value?.id })),
  200,
)
const {
  data: pages,
  error,
  refetch: look,
  fetchNextPage,
} = useInfiniteQuery(
  {
    queryKey: computed(() => ['cuts', wish.value]),
    queryFn: ({ pageParam: skip, signal }) =>
      answer(server.GET('/api/cuts', { params: { query: { ...wish.value, skip, count: PAGE } }, signal })),
    initialPageParam: 0,
    getNextPageParam: (last, all) => {
      const had = all.reduce((sum, page) => sum + page.cuts.length, 0)
      return had < last.total ? had : undefined
    },
    placeholderData: keepPreviousData,
    meta: { toldBeside: true },
  },
  queries,
)
const cuts = computed(() => pages.value?.pages.flatMap((page) => page.cuts) ?? null)
const total = computed(() => pages.value?.pages.at(-1)?.total ?? 0)
const problem = computed(() => error.value?.message)
async function copy(cut: CutSummary) {
  try {
    await answer(server.POST('/api/cuts/{id}/copy', { params: { path: { id: cut.id } } }))
    await look()
  } catch (cause) {
    tell(cause)
  }
}
/** Nothing is asked: it says how to get the cut back. */
const away = ref<CutSummary | null>(null)
async function takeAway(cut: CutSummary) {
  try {
    await answer(server.DELETE('/api/cuts/{id}', { params: { path: { id: cut.id } } }))
    away.value = cut
    await look()
  } catch (cause) {
    tell(cause)
  }
}
async function bringBack(cut: CutSummary) {
  try {
    await answer(server.POST('/api/cuts/{id}/back', { params: { path: { id: cut.id } } }))
    away.value = null
    await look()
  } catch (cause) {
    tell(cause)
  }
}

async function make(body: Description) {
  busy.value = true
  try {
    const cut = await answer(
      server.POST('/api/cuts', { params: { query: { project: makesIn.value ?? undefined } }, body }),
    )
    await router.push(`/cuts/${cut.id}/picture`)
  } catch (cause) {
    tell(cause)
  } finally {
    busy.value = false
  }
}

/** A cut from an edit list or a film, which say how long it is, or a whole cut that was handed over. */
async function fromFile(chosen: File) {
  busy.value = true
  const rate = listRate.value ? rateOf(listRate.value) : null
  const query = new URLSearchParams({
    ...(makesIn.value && { project: makesIn.value }),
    ...(rate && { num: `${rate.num}`, den: `${rate.den}`, dropFrame: `${rate.dropFrame}` }),
  })
  const whole = isCut(chosen.name)
  const place = whole ? 'from-cut' : isFilm(chosen.name) ? 'from-film' : 'from-list'
  try {
    const cut = await sendFile<{ id: string }>(`/api/cuts/${place}?${query}`, chosen, () => undefined)
    await router.push(whole ? `/cuts/${cut.id}` : `/cuts/${cut.id}/picture`)
  } catch (cause) {
    tell(cause)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="home">
    <header>
      <h1>Jaunty Bar</h1>
      <p class="soft">
        Makes a music bed as long as the cut, and lets it breathe with the narration.
        <router-link to="/guide" data-test="guide">How it is done</router-link>
      </p>
      <router-link v-if="me?.person" to="/people" class="who" data-test="people"
        >{{ me.person.name }}: projects and people</router-link
      >
    </header>
    <a-alert v-if="problem" type="error" :message="problem" show-icon />
    <div class="columns">
      <section>
        <h2>Cuts</h2>
        <a-select
          v-if="projects.length > 1"
          :value="shownProject ? project : ''"
          :options="[
            { value: '', label: 'all projects' },
            ...projects.map((one) => ({ value: one.id, label: one.name })),
          ]"
          class="of-project"
          aria-label="Project"
          data-test="of-project"
          @change="(value) => (project = value as string)"
        />
        <p v-if="cuts?.length === 0 && !wanted" class="soft">
          There is no cut yet. Make one: its title, its length and its frame rate are enough.
        </p>
        <div v-if="(cuts?.length ?? 0) > 1 || wanted" class="find">
          <a-input
            v-model:value="wanted"
            placeholder="title, bed or narration"
            aria-label="Look for a cut"
            allow-clear
            data-test="look-for"
          />
          <a-select v-model:value="sort" :options="[...SORTS]" aria-label="Order of the cuts" data-test="sort" />
        </div>
        <p v-if="away" class="card away" role="status">
          “{{ away.title }}” is taken away.
          <a-button size="small" data-test="bring-back" @click="bringBack(away)">Bring it back</a-button>
        </p>
        <p v-if="cuts?.length === 0 && wanted" class="soft">
          No cut has “{{ wanted }}” in its title, bed or narration.
        </p>
        <div v-for="cut in cuts ?? []" :key="cut.id" class="card cut">
          <router-link :to="placeOf(cut)" class="picture" tabindex="-1" aria-hidden="true">
            <img v-if="cut.picture" :src="cut.picture" alt="" loading="lazy" />
          </router-link>
          <router-link :to="placeOf(cut)" class="what" data-test="cut">
            <b>{{ cut.title }}</b>
            <span class="numbers soft">{{ cut.lengthTimecode }} at {{ cut.rate.label }} frames</span>
            <span class="soft">{{ cut.bed ? bare(cut.bed) : 'no bed yet' }}</span>
            <span class="soft">{{ cut.narration ? bare(cut.narration) : 'no narration yet' }}</span>
          </router-link>
          <div class="acts">
            <small class="soft"
              ><template v-if="projects.length > 1 && !shownProject">{{ nameOf(cut.project) }}, </template
              >{{ day(cut.createdAt) }}</small
            >
            <template v-if="roleIn(cut.project) !== 'listener'"
              ><button class="plain" :aria-label="`copy ${cut.title}`" data-test="copy" @click="copy(cut)">copy</button>
              <button
                class="plain soft"
                :aria-label="`take away ${cut.title}`"
                data-test="take-away"
                @click="takeAway(cut)"
              >
                take away
              </button></template
            >
          </div>
        </div>
        <p v-if="total > (cuts?.length ?? 0)">
          <a-button data-test="more-cuts" @click="fetchNextPage()"
            >Show more <span class="soft">of {{ total }}</span></a-button
          >
        </p>
      </section>
      <section v-if="mayMake">
        <h2>New cut, from a file</h2>
        <div class="card start">
          <DropArea
            title="Drop an edit list, a film or a whole cut"
            hint="OpenTimelineIO, CMX 3600, MP4, WebM; a cut as it was handed over"
            :accept="`${CUT_LISTS},${FILMS},${CUTS}`"
            :disabled="busy"
            test="from-file"
            @file="fromFile"
          />
          <label class="soft">
            frames a second of a list
            <a-select
              v-model:value="listRate"
              size="small"
              aria-label="Frames a second of a list"
              data-test="list-rate"
            >
              <a-select-option value="">inferred</a-select-option>
              <a-select-option v-for="rate in rates" :key="rate.value" :value="rate.value">{{
                rate.label
              }}</a-select-option>
            </a-select>
          </label>
        </div>
        <h2>New cut, by hand</h2>
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
  position: relative;
  border-bottom: 1px solid var(--ink);
  margin-bottom: 20px;
}
h1 {
  font-size: 36px;
}
h2 {
  font-size: 17px;
  margin-bottom: 8px;
}
.who {
  position: absolute;
  top: 10px;
  right: 0;
}
.of-project {
  width: 100%;
  margin-bottom: 10px;
}
.columns {
  display: grid;
  grid-template-columns: 1fr 320px;
  gap: 40px;
}
@media (width < 860px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
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
.find {
  display: grid;
  grid-template-columns: 1fr 150px;
  gap: 8px;
  margin-bottom: 10px;
}
.cut {
  display: grid;
  grid-template-columns: 112px 1fr auto;
  gap: 2px 16px;
  margin-bottom: 10px;
  padding: 10px 14px 10px 10px;
  overflow-wrap: anywhere;
}
.away {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin: 0 0 10px;
  padding: 8px 14px;
}
.picture {
  height: 63px;
  background: var(--column);
}
.picture img {
  width: 100%;
  height: 100%;
  object-fit: cover;
}
.what {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 20px;
  align-content: start;
  color: var(--ink);
}
.what b {
  grid-column: 1 / -1;
}
.acts {
  display: grid;
  justify-items: end;
  align-content: space-between;
}
.cut:hover {
  border-color: var(--ink);
}
.cut b {
  font-family: var(--serif);
  font-size: 17px;
}
</style>
