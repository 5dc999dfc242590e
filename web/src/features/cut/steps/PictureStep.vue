<script setup lang="ts">
import { message } from 'ant-design-vue'
import { ref, watch } from 'vue'
import CutForm from '../../cuts/CutForm.vue'
import { formOf, type CutFormValue } from '../../cuts/rates'
import type { StepProps } from './props'

const props = defineProps<StepProps>()
const value = ref<CutFormValue>(formOf(props.cut))
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
      <div>
        <h3>Shots</h3>
        <p v-if="!cut.shots.length" class="soft">This cut has no shots noted.</p>
        <table v-else>
          <tbody>
            <tr v-for="shot in cut.shots" :key="shot.timecode">
              <td class="numbers">{{ shot.timecode }}</td>
              <td>{{ shot.name }}</td>
              <td><button class="plain" @click="listening.seek(shot.atS)">go there</button></td>
            </tr>
          </tbody>
        </table>
      </div>
      <div>
        <h3>Moments</h3>
        <p v-if="!cut.moments.length" class="soft">This cut has no moments marked.</p>
        <table v-else>
          <tbody>
            <tr v-for="moment in cut.moments" :key="moment.timecode">
              <td class="numbers">{{ moment.timecode }}</td>
              <td class="moment">{{ moment.name }}</td>
              <td><button class="plain" @click="listening.seek(moment.atS)">go there</button></td>
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
.moment {
  color: var(--voice);
}
</style>
