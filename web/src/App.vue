<script setup lang="ts">
import { theme } from './theme'
</script>

<template>
  <a-config-provider :theme="theme">
    <router-view />
  </a-config-provider>
</template>
