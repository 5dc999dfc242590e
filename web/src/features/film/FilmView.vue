<script setup lang="ts">
import { computed } from 'vue'
import type { CutView } from '../../shared/http'
import type { Listening } from '../listening/useListening'
import FilmPicture from './FilmPicture.vue'

/** The film of a cut; without one, the name of the shot stands in. */
const props = defineProps<{ cut: CutView; listening: Listening }>()
const source = computed(() => (props.cut.film ? `/api/cuts/${props.cut.id}/film/${props.cut.film.hash}` : null))
const shot = computed(() => [...props.cut.shots].reverse().find((s) => s.frame <= props.listening.frame.value) ?? null)
</script>

<template>
  <FilmPicture
    v-slot="{ broken }"
    :source="source"
    :aspect="cut.film?.aspect ?? 16 / 9"
    :called="shot?.name ?? cut.title"
    :listening="listening"
  >
    <span class="name">{{ shot?.name ?? 'no shot here' }}</span>
    <span class="soft">{{ broken ? 'this browser cannot play the film' : 'no film yet' }}</span>
  </FilmPicture>
</template>

<style scoped>
.name {
  font-family: var(--serif);
  font-style: italic;
  font-size: 17px;
}
</style>
