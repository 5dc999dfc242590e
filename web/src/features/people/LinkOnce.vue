<script setup lang="ts">
import { useClipboard } from '@vueuse/core'

/** A link that is told this once: nobody, the server included, can show it again. */
const props = defineProps<{ link: string; to: string }>()
const { copy, copied } = useClipboard({ legacy: true })
</script>

<template>
  <div class="card once" role="status">
    <p>The link for {{ props.to || 'them' }}. Send it now: it is shown this once.</p>
    <div class="row">
      <a-input
        :value="props.link"
        readonly
        aria-label="The link"
        data-test="given-link"
        @focus="($event.target as HTMLInputElement).select()"
      />
      <a-button @click="copy(props.link)">{{ copied ? 'copied' : 'Copy' }}</a-button>
    </div>
  </div>
</template>

<style scoped>
.once {
  margin-top: 12px;
}
.once p {
  margin: 0 0 8px;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
