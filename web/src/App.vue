<script setup lang="ts">
import { usePreferredDark } from '@vueuse/core'
import { themeOf } from './theme'

const dark = usePreferredDark()
</script>

<template>
  <a-config-provider :theme="themeOf(dark)">
    <router-view />
  </a-config-provider>
</template>
