<script setup lang="ts">
import type { UploadProps } from 'ant-design-vue'

/** Where files are dropped or chosen; whoever holds it sends them on. */
withDefaults(
  defineProps<{ title: string; hint: string; accept: string; test: string; multiple?: boolean; disabled?: boolean }>(),
  { multiple: false, disabled: false },
)
const emit = defineEmits<{ file: [file: File] }>()
const take: UploadProps['customRequest'] = ({ file }) => emit('file', file as File)
</script>

<template>
  <a-upload-dragger
    :custom-request="take"
    :show-upload-list="false"
    :accept="accept"
    :multiple="multiple"
    :disabled="disabled"
    :data-test="test"
    class="drop-area"
  >
    <p class="title">{{ title }}</p>
    <p class="soft">{{ hint }}</p>
  </a-upload-dragger>
</template>

<style scoped>
.title {
  font-family: var(--serif);
  font-size: 16px;
  margin: 0;
}
.soft {
  margin: 0;
  padding: 0 8px;
}
:deep(.ant-upload-btn) {
  padding: 10px 0;
}
</style>
