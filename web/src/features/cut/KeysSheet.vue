<script setup lang="ts">
import { ref } from 'vue'
import { keymap, singleKeys, useKeys, type Key } from '../../shared/keys'

/** The keys that do something on this page, as one table. */
const open = ref(false)
useKeys('Everywhere', [{ key: '?', what: 'this list', act: () => (open.value = !open.value) }], { ofStep: false })
defineExpose({ open })

const NAMES: Record<string, string> = {
  ' ': 'space',
  ArrowUp: '↑',
  ArrowDown: '↓',
  ArrowLeft: '←',
  ArrowRight: '→',
  Enter: '↵',
}
const written = (one: Key) =>
  one.shown ??
  [one.key]
    .flat()
    .map((key) => `${one.ctrl ? 'Ctrl ' : ''}${NAMES[key] ?? (key.length === 1 ? key.toUpperCase() : key)}`)
    .join(' ')
</script>

<template>
  <a-modal v-model:open="open" title="Keys" :footer="null" width="760px" data-test="keys">
    <a-checkbox v-model:checked="singleKeys" data-test="single-keys">
      letters and signs do something by themselves
    </a-checkbox>
    <div class="groups">
      <section v-for="group in keymap" :key="group.name">
        <h3>{{ group.name }}</h3>
        <dl class="facts">
          <template v-for="one in group.keys" :key="one.what">
            <dt>
              <kbd>{{ written(one) }}</kbd>
            </dt>
            <dd>{{ one.what }}</dd>
          </template>
        </dl>
      </section>
    </div>
  </a-modal>
</template>

<style scoped>
.groups {
  columns: 2;
  column-gap: 32px;
  margin-top: 14px;
}
section {
  break-inside: avoid;
  margin-bottom: 14px;
}
</style>
