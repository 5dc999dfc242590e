<script setup lang="ts">
import { useTitle } from '@vueuse/core'
import { onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, server } from '../../shared/http'
import { me } from '../../shared/me'
import type { components } from '../../gen/api'
import DoorCard from './DoorCard.vue'

/** Where a link leads that was given away: what it opens is looked at first, and asked for only what that takes. */
type KeyView = components['schemas']['KeyView']
useTitle('Jaunty Bar')
const [route, router] = [useRoute(), useRouter()]
const key = route.hash.slice(1)
const view = ref<KeyView | null>(null)
const problem = ref<string | null>(null)
const busy = ref(false)
const word = ref('')
const name = ref('')
const password = ref('')

async function tried(work: () => Promise<void>) {
  busy.value = true
  problem.value = null
  await work().catch((cause: Error) => (problem.value = cause.message))
  busy.value = false
}
const enter = () =>
  tried(async () => {
    me.value = await answer(server.POST('/api/keys/enter', { body: { key, word: word.value || null } }))
    // The key stays in no history.
    await router.replace(view.value?.cut ? `/listen/${view.value.cut}` : '/')
  })
const accept = () =>
  tried(async () => {
    const body = { key, name: name.value || null, password: password.value }
    me.value = await answer(server.POST('/api/keys/accept', { body }))
    await router.replace(me.value.inside ? '/' : '/sign-in')
  })
onMounted(() =>
  tried(async () => {
    if (!key) throw new Error('This link is not complete. Copy all of it, to its last letter.')
    view.value = await answer(server.POST('/api/keys/look', { body: { key } }))
    const { opens, asksWord } = view.value
    if (opens === 'house' || (opens === 'listening' && !asksWord)) await enter()
  }),
)
</script>

<template>
  <DoorCard>
    <template v-if="view?.asksWord">
      <h2>A word goes with this link</h2>
      <form @submit.prevent="enter">
        <label for="word">The word that you were told</label>
        <a-input id="word" v-model:value="word" autocomplete="off" autofocus data-test="word" />
        <p v-if="problem" class="warn" role="alert">{{ problem }}</p>
        <a-button type="primary" html-type="submit" :loading="busy" :disabled="!word" data-test="enter"
          >Listen</a-button
        >
      </form>
    </template>
    <template v-else-if="view && (view.opens === 'invitation' || view.opens === 'password')">
      <h2 v-if="view.opens === 'invitation'">Come into “{{ view.project }}”</h2>
      <h2 v-else>Choose a password</h2>
      <form @submit.prevent="accept">
        <span class="soft">{{ view.email }}</span>
        <template v-if="view.opens === 'invitation' && !view.known">
          <label for="name">What you are called</label>
          <a-input id="name" v-model:value="name" autocomplete="name" autofocus data-test="name" />
        </template>
        <label for="password">{{
          view.known ? 'Your password here' : 'A password of 10 letters or more; several words are fine'
        }}</label>
        <a-input
          id="password"
          v-model:value="password"
          type="password"
          :autocomplete="view.known ? 'current-password' : 'new-password'"
          data-test="password"
        />
        <p v-if="problem" class="warn" role="alert" data-test="problem">{{ problem }}</p>
        <a-button type="primary" html-type="submit" :loading="busy" :disabled="!password" data-test="accept">{{
          view.opens === 'invitation' ? 'Come in' : 'Keep it'
        }}</a-button>
      </form>
    </template>
    <template v-else-if="problem">
      <h2>This link does not open</h2>
      <p class="warn" role="alert" data-test="problem">{{ problem }}</p>
      <router-link to="/sign-in">To the door</router-link>
    </template>
    <a-spin v-else />
  </DoorCard>
</template>
