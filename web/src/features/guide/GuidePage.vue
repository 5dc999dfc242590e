<script setup lang="ts">
import { useTitle } from '@vueuse/core'
import MarkdownIt from 'markdown-it'
import text from '../../../../docs/guide.md?raw'

/** The guide of docs/guide.md, with its pictures: one text for the page and for who reads the project. */
useTitle('Guide, Jaunty Bar')
const pictures = import.meta.glob<string>('../../../../docs/screenshots/*.png', {
  eager: true,
  query: '?url',
  import: 'default',
})
const markdown = new MarkdownIt({ html: false, linkify: false })
const address = (source: string) => pictures[`../../../../docs/${source}`] ?? source
const usual = markdown.renderer.rules.image!
markdown.renderer.rules.image = (tokens, index, ...rest) => {
  const token = tokens[index]!
  token.attrSet('src', address(String(token.attrGet('src') ?? '')))
  token.attrSet('loading', 'lazy')
  return usual(tokens, index, ...rest)
}
const html = markdown.render(text)
</script>

<template>
  <main class="guide">
    <p><router-link to="/">All cuts</router-link></p>
    <!-- Our own file, rendered without markup of its own. -->
    <!-- eslint-disable-next-line vue/no-v-html -->
    <article v-html="html"></article>
  </main>
</template>

<style scoped>
.guide {
  max-width: 780px;
  margin: 0 auto;
  padding: 24px;
}
.guide :deep(h1) {
  font-size: 34px;
  margin-bottom: 12px;
}
.guide :deep(h2) {
  margin: 32px 0 8px;
}
.guide :deep(img) {
  max-width: 100%;
  border: 1px solid var(--line);
}
.guide :deep(table) {
  border-collapse: collapse;
  margin: 10px 0;
}
.guide :deep(td),
.guide :deep(th) {
  border-bottom: 1px solid var(--line);
  padding: 4px 18px 4px 0;
  text-align: left;
}
.guide :deep(code) {
  font-family: var(--sans);
  font-size: 12px;
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 0 4px;
}
.guide :deep(li) {
  margin: 4px 0;
}
</style>
