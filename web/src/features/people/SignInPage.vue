<script setup lang="ts">
import { useTitle } from '@vueuse/core'
import { nextTick, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, Problem, server } from '../../shared/http'
import { me, whoIsHere } from '../../shared/me'
import DoorCard from './DoorCard.vue'

/** Where nobody is signed in: people do it here; who is alone opens the link of the terminal. */
useTitle('Jaunty Bar')
const [route, router] = [useRoute(), useRouter()]
const email = ref('')
const password = ref('')
const code = ref('')
const asksCode = ref(false)
const busy = ref(false)
const problem = ref<string | null>(null)
const brought = ref('')

/** Why nobody came in who was sent to the other service. */
const NOT_IN: Record<string, string> = {
  away: 'The other service does not answer. Try again, or sign in with your password.',
  'not-told': 'The other service did not say who you are, or it took too long. Try again.',
  stranger: 'Nobody with your address was let in here. Whoever looks after this house can invite you.',
}

const onwards = () => {
  const to = String(route.query.to ?? '/')
  // Only to pages of this house.
  void router.replace(to.startsWith('/') && !to.startsWith('//') ? to : '/')
}
onMounted(async () => {
  const here = await whoIsHere(true).catch((cause: Error) => ((problem.value = cause.message), null))
  if (here?.inside) onwards()
  else problem.value ??= NOT_IN[String(route.query.elsewhere)] ?? null
})

async function signIn() {
  busy.value = true
  problem.value = null
  const body = { email: email.value, password: password.value, code: code.value || null }
  try {
    me.value = await answer(server.POST('/api/session', { body }))
    onwards()
  } catch (cause) {
    const first = cause instanceof Problem && cause.code === 'second-factor' && !asksCode.value
    if (first) {
      asksCode.value = true
      await nextTick()
      document.getElementById('code')?.focus()
    } else problem.value = (cause as Error).message
  } finally {
    busy.value = false
  }
}
/** A link as it stands in the terminal, or the part behind its number sign. */
function open() {
  const key = brought.value.trim().split('#').pop() ?? ''
  if (key) void router.push({ path: '/key', hash: `#${key}` })
}
</script>

<template>
  <DoorCard>
    <template v-if="me?.accounts">
      <h2>Sign in</h2>
      <form @submit.prevent="signIn">
        <label for="email">Mail address</label>
        <a-input id="email" v-model:value="email" type="email" autocomplete="username" autofocus data-test="email" />
        <label for="password">Password</label>
        <a-input
          id="password"
          v-model:value="password"
          type="password"
          autocomplete="current-password"
          data-test="password"
        />
        <template v-if="asksCode">
          <label for="code">Six digits that your second factor shows</label>
          <a-input
            id="code"
            v-model:value="code"
            inputmode="numeric"
            autocomplete="one-time-code"
            :maxlength="6"
            data-test="code"
          />
        </template>
        <p v-if="problem" class="warn" role="alert" data-test="problem">{{ problem }}</p>
        <a-button type="primary" html-type="submit" :loading="busy" :disabled="!email || !password" data-test="sign-in"
          >Sign in</a-button
        >
        <a-button v-if="me.elsewhere" href="/api/session/elsewhere" data-test="elsewhere"
          >Sign in through {{ me.elsewhere }}</a-button
        >
      </form>
      <p class="soft">
        No password yet, or forgotten? Whoever looks after this house gives you a link with which you choose one.
      </p>
    </template>
    <template v-else-if="me">
      <h2>Open the link of the terminal</h2>
      <p>
        Jaunty Bar runs on this machine for whoever started it. The terminal in which it was started shows a link that
        opens it in this browser; <code>jaunty link</code> prints another one.
      </p>
      <form @submit.prevent="open">
        <label for="link">The link, or its last part</label>
        <a-input id="link" v-model:value="brought" autocomplete="off" data-test="link" />
        <a-button type="primary" html-type="submit" :disabled="!brought" data-test="open-link">Open</a-button>
      </form>
    </template>
    <p v-else-if="problem" class="warn" role="alert">{{ problem }}</p>
  </DoorCard>
</template>
