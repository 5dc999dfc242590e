<script setup lang="ts">
import { computed, ref } from 'vue'
import { answer, server, type CutView, type HouseFigures } from '../../shared/http'
import { useAnswer } from '../../shared/query'
import { tell } from '../../shared/tell'

/** Figures that are kept under a name, taken into this cut and the next ones. */
const props = defineProps<{ cut: CutView; busy: boolean }>()
const emit = defineEmits<{ take: [house: HouseFigures] }>()

const { data, refetch } = useAnswer(
  () => ['house'],
  (signal) => answer(server.GET('/api/house', { signal })),
)
const kept = computed(() => data.value ?? [])
const name = ref(props.cut.plan.house?.name ?? '')
const fileNames = ref(props.cut.plan.house?.fileNames ?? '{title}, {what}')

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)
const taken = computed(() => props.cut.plan.house)
/** The set of this cut as it is kept by now, where it is another than what was taken. */
const newer = computed(() => {
  const now = kept.value.find((one) => one.name === taken.value?.name)
  return now && !same(now, taken.value) ? now : null
})
const changedHere = computed(() => taken.value && !same(taken.value.shape, props.cut.plan.shape))

function take(which: unknown) {
  const found = kept.value.find((one) => one.name === which)
  if (!found) return
  ;({ name: name.value, fileNames: fileNames.value } = found)
  emit('take', found)
}
/** Keeps the figures as they are now; the cut follows them from then on. */
async function keep() {
  try {
    const house = await answer(
      server.PUT('/api/house/{name}', {
        params: { path: { name: name.value.trim() } },
        body: { cut: props.cut.id, fileNames: fileNames.value },
      }),
    )
    await refetch()
    emit('take', house)
  } catch (cause) {
    tell(cause)
  }
}
async function drop() {
  await answer(server.DELETE('/api/house/{name}', { params: { path: { name: name.value } } })).catch(tell)
  await refetch()
}
</script>

<template>
  <section class="card" data-test="house">
    <h3>Figures of the house</h3>
    <a-select
      v-if="kept.length"
      :value="taken?.name ?? undefined"
      placeholder="take some that were kept"
      :options="kept.map((one) => ({ value: one.name, label: one.name }))"
      :disabled="busy"
      size="small"
      class="wide"
      aria-label="Figures of the house"
      data-test="house-sets"
      @change="take"
    />
    <p v-else class="soft">Keep these figures under a name: the next cut begins with them.</p>
    <p v-if="newer" class="warn">
      They were changed since.
      <button class="plain" :disabled="busy" data-test="house-newer" @click="take(newer.name)">
        take them as they are now
      </button>
    </p>
    <p v-else-if="changedHere" class="soft">changed in this cut</p>
    <p class="keep">
      <a-input
        v-model:value="name"
        size="small"
        :maxlength="80"
        placeholder="a name"
        aria-label="Name of the figures"
        data-test="house-name"
      />
      <a-input
        v-model:value="fileNames"
        size="small"
        :maxlength="120"
        aria-label="How files are named"
        data-test="house-files"
      />
      <small class="soft">names of files: {title}, {what}, {revision}, {date}</small>
      <span>
        <a-button size="small" :disabled="busy || !name.trim()" data-test="house-keep" @click="keep"
          >Keep these</a-button
        >
        <button v-if="kept.some((one) => one.name === name)" class="plain soft" data-test="house-drop" @click="drop">
          no longer keep them
        </button>
      </span>
    </p>
  </section>
</template>

<style scoped>
.wide {
  width: 100%;
}
.keep {
  display: grid;
  gap: 4px;
  margin: 6px 0 0;
}
</style>
