<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import { answer, server, type CutView } from '../../shared/http'
import NumberField from '../../shared/NumberField.vue'
import { useAnswer } from '../../shared/query'
import LinkOnce from '../people/LinkOnce.vue'

/** Gives the cut to somebody to hear: a link that shows film, sheet and mix, and takes what they say. */
const props = defineProps<{ cut: CutView }>()
const link = ref<{ link: string; to: string } | null>(null)
const wanted = reactive({ to: '', word: '', days: 14, newest: true })
const path = () => ({ path: { id: props.cut.id } })
const day = (at: string) => new Date(at).toLocaleDateString([], { day: 'numeric', month: 'short' })

const { data, error, refetch } = useAnswer(
  () => ['cut', props.cut.id, 'links'],
  (signal) => answer(server.GET('/api/cuts/{id}/links', { params: path(), signal })),
  { toldBeside: true },
)
const given = computed(() => data.value ?? [])
const notDone = ref<string | null>(null)
const problem = computed(() => notDone.value ?? error.value?.message)
async function tried(work: () => Promise<void>) {
  notDone.value = null
  await work().catch((cause: Error) => (notDone.value = cause.message))
}
const give = () =>
  tried(async () => {
    const { to, word, days, newest } = wanted
    const body = { to, word: word || null, days, revision: newest ? null : props.cut.plan.revision }
    const made = await answer(server.POST('/api/cuts/{id}/links', { params: path(), body }))
    link.value = { link: made.link, to }
    Object.assign(wanted, { to: '', word: '' })
    await refetch()
  })
const takeBack = (key: string) =>
  tried(async () => {
    await answer(server.DELETE('/api/cuts/{id}/links/{key}', { params: { path: { id: props.cut.id, key } } }))
    await refetch()
  })
</script>

<template>
  <div class="card give">
    <h3>Give it to somebody to hear</h3>
    <form class="fields" @submit.prevent="give">
      <label
        >for <a-input v-model:value="wanted.to" size="small" class="to" placeholder="a client" data-test="give-to"
      /></label>
      <a-select
        :value="wanted.newest ? 'newest' : 'this'"
        :options="[
          { value: 'newest', label: 'always the newest' },
          { value: 'this', label: `revision ${cut.plan.revision} for good` },
        ]"
        size="small"
        class="which"
        aria-label="which revision"
        @change="(value) => (wanted.newest = value === 'newest')"
      />
      <label
        >for
        <NumberField
          class="days"
          label="days"
          unit="days"
          :value="wanted.days"
          :min="1"
          :max="365"
          @set="(value) => (wanted.days = Math.round(value))"
      /></label>
      <label
        >with a word
        <a-input v-model:value="wanted.word" size="small" class="word" placeholder="none" data-test="give-word"
      /></label>
      <a-button html-type="submit" data-test="give">Make the link</a-button>
    </form>
    <p v-if="problem" class="warn" role="alert">{{ problem }}</p>
    <LinkOnce v-if="link" :link="link.link" :to="link.to" />
    <table v-if="given.length">
      <tbody>
        <tr v-for="one in given" :key="one.id" data-test="given">
          <td>
            <b>{{ one.to || 'a link' }}</b>
          </td>
          <td class="soft">
            {{ one.revision == null ? 'always the newest' : `revision ${one.revision}` }}, until {{ day(one.expiresAt)
            }}{{ one.asksWord ? ', with a word' : '' }}
          </td>
          <td class="acts">
            <button class="plain" data-test="take-link-back" @click="takeBack(one.id)">take back</button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else class="soft">
      Who opens the link sees film and sheet, hears the mix, and says something at moments, without an account. Nothing
      else is reached by it.
    </p>
  </div>
</template>

<style scoped>
.give {
  max-width: 1080px;
  margin-bottom: 22px;
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
}
.fields label {
  display: flex;
  gap: 6px;
  align-items: center;
}
.to {
  width: 170px;
}
.which {
  min-width: 170px;
}
.days {
  width: 90px;
}
.word {
  width: 120px;
}
.give p {
  margin: 10px 0 0;
}
table {
  width: 100%;
  margin-top: 12px;
}
td {
  padding: 5px 14px 5px 0;
  border-top: 1px solid var(--line);
}
.acts {
  text-align: right;
  padding-right: 0;
}
</style>
