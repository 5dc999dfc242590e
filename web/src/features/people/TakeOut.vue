<script setup lang="ts">
import { computed, ref } from 'vue'
import { answer, server, type GivenLinkView } from '../../shared/http'
import { tell } from '../../shared/tell'

/** Takes somebody out of a project. What they gave away of it is shown first: it ends, unless it is kept. */
const props = defineProps<{ project: string; person: { id: string; name: string } }>()
const emit = defineEmits<{ out: [] }>()

const links = ref<GivenLinkView[] | null>(null)
const kept = ref<string[]>([])
const ending = computed(() => (links.value?.length ?? 0) - kept.value.length)
const path = computed(() => ({ project: props.project, person: props.person.id }))
const until = (at: string) => new Date(at).toLocaleDateString([], { day: 'numeric', month: 'short', year: 'numeric' })

async function takeOut() {
  try {
    await answer(
      server.DELETE('/api/projects/{project}/people/{person}', {
        params: { path: path.value },
        body: { keep: kept.value },
      }),
    )
    links.value = null
    emit('out')
  } catch (cause) {
    tell(cause)
  }
}
async function ask() {
  try {
    const found = await answer(
      server.GET('/api/projects/{project}/people/{person}/links', { params: { path: path.value } }),
    )
    kept.value = []
    if (found.length > 0) links.value = found
    else await takeOut()
  } catch (cause) {
    tell(cause)
  }
}
</script>

<template>
  <button class="plain soft" :aria-label="`take ${person.name} out`" data-test="take-out" @click="ask">take out</button>
  <a-modal
    :open="links !== null"
    :title="`Take ${person.name} out`"
    :ok-text="
      ending === 0 ? 'Take out, all links stay' : `Take out, ${ending === 1 ? 'one link ends' : `${ending} links end`}`
    "
    cancel-text="Leave in"
    data-test="take-out-asked"
    @ok="takeOut"
    @cancel="links = null"
  >
    <p>{{ person.name }} gave these away. They end now, unless somebody still needs them.</p>
    <a-checkbox-group v-model:value="kept" class="links">
      <label v-for="one in links" :key="one.id" class="link" data-test="given-link">
        <a-checkbox :value="one.id" :aria-label="`keep the link of ${one.givenTo || 'nobody named'}`" />
        <span>
          keep: {{ one.cut ? `“${one.cut}”, to hear` : 'an invitation into the project' }}
          <span class="soft">for {{ one.givenTo || 'nobody named' }}, until {{ until(one.expiresAt) }}</span>
        </span>
      </label>
    </a-checkbox-group>
  </a-modal>
</template>

<style scoped>
.links {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
  margin-bottom: 12px;
}
.link .soft {
  display: block;
}
.link {
  display: flex;
  gap: 10px;
  align-items: baseline;
  cursor: pointer;
}
</style>
