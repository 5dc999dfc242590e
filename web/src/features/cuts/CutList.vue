<script setup lang="ts">
import { message } from 'ant-design-vue'
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { answer, server, type CutSummary } from '../../shared/http'
import { bare } from '../../shared/words'
import CutForm from './CutForm.vue'
import type { CutFormValue } from './rates'

const router = useRouter()
const cuts = ref<CutSummary[] | null>(null)
const problem = ref<string | null>(null)
const busy = ref(false)
const value = ref<CutFormValue>({ title: '', length: '', rate: '25/1' })

onMounted(async () => {
  try {
    cuts.value = await answer(server.GET('/api/cuts'))
  } catch (cause) {
    problem.value = (cause as Error).message
  }
})

async function make(body: { title: string; length: string; rate: { num: number; den: number; dropFrame: boolean } }) {
  busy.value = true
  try {
    const cut = await answer(server.POST('/api/cuts', { body }))
    await router.push(`/cuts/${cut.id}/beds`)
  } catch (cause) {
    message.error((cause as Error).message, 6)
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
        <h3>New cut</h3>
        <CutForm v-model="value" action="Make it" :busy="busy" @submit="make" />
      </section>
    </div>
  </main>
</template>

<style scoped>
.home {
  max-width: 980px;
  margin: 0 auto;
  padding: 44px 24px;
}
header {
  border-bottom: 1px solid var(--ink);
  margin-bottom: 26px;
}
h1 {
  font-size: 36px;
}
.columns {
  display: grid;
  grid-template-columns: 1fr 320px;
  gap: 40px;
}
.cut {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 20px;
  margin-bottom: 10px;
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
