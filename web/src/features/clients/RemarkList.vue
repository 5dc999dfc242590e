<script setup lang="ts">
import { computed } from 'vue'
import type { RemarkView } from '../../shared/http'
import { clock } from '../../shared/words'
import { said } from './remarks'

/** What was said of a cut by those who heard it: what is open first. */
const props = defineProps<{ remarks: RemarkView[]; mayMend?: boolean }>()
const emit = defineEmits<{ seek: [seconds: number]; done: [remark: RemarkView, done: boolean] }>()
const sorted = computed(() => [...props.remarks].sort((a, b) => Number(a.done) - Number(b.done)))
const when = (at: string) =>
  new Date(at).toLocaleString([], { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', hour12: false })
</script>

<template>
  <ol class="remarks">
    <li v-for="remark in sorted" :key="remark.id" :class="{ done: remark.done }" data-test="remark">
      <button v-if="remark.atS != null" class="plain numbers" @click="emit('seek', remark.atS)">
        {{ clock(remark.atS) }}
      </button>
      <span v-else class="soft whole">all of it</span>
      <div>
        <span :class="{ approves: remark.approves }">{{ said(remark) }}</span>
        <small class="soft">
          {{ remark.saidBy }}, {{ when(remark.createdAt) }}, revision {{ remark.revision }}
          <button
            v-if="mayMend && !remark.approves"
            class="plain"
            data-test="list-done"
            @click="emit('done', remark, !remark.done)"
          >
            {{ remark.done ? 'open again' : 'it is done' }}
          </button>
          <template v-else-if="remark.done">, done</template>
        </small>
      </div>
    </li>
  </ol>
</template>

<style scoped>
.remarks {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 62px 1fr;
  gap: 2px 10px;
  align-items: baseline;
  padding: 6px 0;
  border-bottom: 1px solid var(--line);
  overflow-wrap: anywhere;
}
li > button {
  justify-self: start;
  padding-left: 0;
}
.whole {
  font-size: 12px;
}
small {
  display: block;
}
.done > div > span {
  color: var(--soft);
  text-decoration: line-through;
}
.approves {
  font-family: var(--serif);
  font-weight: 700;
}
</style>
