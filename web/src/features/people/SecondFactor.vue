<script setup lang="ts">
import { computed, ref } from 'vue'
import { answer, server } from '../../shared/http'
import { me, whoIsHere } from '../../shared/me'
import { tell } from '../../shared/tell'

/** Six digits of an app beside the password: asked for once the first ones were right. */
const address = ref<string | null>(null)
const secret = computed(() => new URLSearchParams(address.value?.split('?')[1]).get('secret') ?? '')
const code = ref('')
const wants = ref(false)

async function tried(work: () => Promise<unknown>) {
  try {
    await work()
    ;[address.value, code.value, wants.value] = [null, '', false]
    await whoIsHere(true)
  } catch (cause) {
    tell(cause)
  }
}
async function begin() {
  try {
    address.value = (await answer(server.POST('/api/me/second-factor'))).address
  } catch (cause) {
    tell(cause)
  }
}
const body = () => ({ body: { code: code.value } })
const hold = () => tried(() => answer(server.PUT('/api/me/second-factor', body())))
const drop = () => tried(() => answer(server.DELETE('/api/me/second-factor', body())))
</script>

<template>
  <form v-if="address" class="card" @submit.prevent="hold">
    <p>
      <a :href="address">Open it in the app of your second factor</a>, or type this there:
      <code class="secret">{{ secret.match(/.{1,4}/g)?.join(' ') }}</code>
    </p>
    <label
      >Six digits that it shows <a-input v-model:value="code" inputmode="numeric" :maxlength="6" class="code"
    /></label>
    <a-button html-type="submit" type="primary" :disabled="code.length < 6">Ask for it from now on</a-button>
  </form>
  <form v-else-if="me?.person?.secondFactor" @submit.prevent="drop">
    A second factor is asked for when you sign in.
    <button v-if="!wants" type="button" class="plain soft" @click="wants = true">ask for it no more</button>
    <template v-else>
      <label>six digits <a-input v-model:value="code" inputmode="numeric" :maxlength="6" class="code" /></label>
      <a-button html-type="submit" :disabled="code.length < 6">Ask for it no more</a-button>
    </template>
  </form>
  <p v-else>
    Only your password is asked for.
    <button class="plain" data-test="second-factor" @click="begin">Add a second factor</button>
  </p>
</template>

<style scoped>
.card {
  max-width: 560px;
}
.secret {
  display: block;
  margin: 6px 0;
  font-size: 15px;
}
.code {
  width: 90px;
  margin: 0 10px;
}
</style>
