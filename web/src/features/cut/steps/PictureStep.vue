<script setup lang="ts">
import { message } from 'ant-design-vue'
import { computed, ref, watch } from 'vue'
import CutForm from '../../cuts/CutForm.vue'
import { formOf, type CutFormValue } from '../../cuts/rates'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const value = ref<CutFormValue>(formOf(props.cut))
const lists = computed(() => [
  { name: 'Shots', marks: props.cut.shots, none: 'This cut has no shots noted.' },
  { name: 'Moments', marks: props.cut.moments, none: 'This cut has no moments marked.' },
])
watch(
  () => [props.cut.title, props.cut.lengthTimecode, props.cut.rate.label],
  () => (value.value = formOf(props.cut)),
)

async function save(body: Parameters<StepProps['actions']['describe']>[0]) {
  if (await props.actions.describe(body)) message.success('Saved. A plan is made anew when length or rate changed.')
}
</script>

<template>
  <section class="step">
    <header class="step-head">
      <h2>Picture</h2>
      <span class="soft">how long the cut is, and what happens in it</span>
    </header>
    <div class="columns">
      <CutForm v-model="value" action="Save" :busy="actions.busy.value" @submit="save" />
      <div v-for="list in lists" :key="list.name">
        <h3>{{ list.name }}</h3>
        <p v-if="!list.marks.length" class="soft">{{ list.none }}</p>
        <table v-else>
          <tbody>
            <tr v-for="mark in list.marks" :key="mark.timecode">
              <td class="numbers">{{ mark.timecode }}</td>
              <td>{{ mark.name }}</td>
              <td><button class="plain" @click="listening.seek(mark.atS)">go there</button></td>
            </tr>
          </tbody>
        </table>
      </div>
    </div>
  </section>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: 320px 1fr 1fr;
  gap: 34px;
}
td {
  padding: 5px 14px 5px 0;
}
</style>
