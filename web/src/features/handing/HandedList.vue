<script setup lang="ts">
import type { CutView, HandedView } from '../../shared/http'
import { fileOf } from './useHanded'

defineProps<{ cut: CutView; handed: HandedView[] }>()

const made = (file: HandedView) =>
  new Date(file.madeAt).toLocaleString([], { dateStyle: 'medium', timeStyle: 'short', hour12: false })
const size = (bytes: number) =>
  bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`
</script>

<template>
  <table data-test="handed">
    <thead>
      <tr>
        <th>file</th>
        <th>made</th>
        <th>of</th>
        <th>size</th>
        <th><span class="unseen">save</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="file in handed" :key="file.id">
        <td>
          {{ file.name }}
          <div v-for="line in file.told" :key="line" class="soft">{{ line }}</div>
        </td>
        <td class="numbers">{{ made(file) }}</td>
        <td>
          revision {{ file.revision }}
          <div v-if="file.revision !== cut.plan.revision" class="warn">the cut has changed since</div>
          <div class="soft hash" :title="`SHA-256 ${file.sha256}`">{{ file.sha256.slice(0, 8) }}</div>
        </td>
        <td class="numbers">{{ size(file.sizeBytes) }}</td>
        <td><a :href="fileOf(cut.id, file)" download class="save">save</a></td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
table {
  width: 100%;
}
th {
  text-align: left;
  font-weight: normal;
  color: var(--soft);
}
th,
td {
  padding: 6px 14px 6px 0;
  vertical-align: top;
  border-bottom: 1px solid var(--line);
}
.hash {
  font-family: monospace;
}
.save {
  text-decoration: underline;
}
</style>
