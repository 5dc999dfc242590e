<template>
  <main class="door">
    <header>
      <h1>Jaunty Bar</h1>
      <p class="soft">Makes a music bed as long as the cut, and lets it breathe with the narration.</p>
    </header>
    <section class="card"><slot /></section>
  </main>
</template>

<style scoped>
.door {
  max-width: 460px;
  margin: 0 auto;
  padding: 9vh 24px 24px;
}
header {
  border-bottom: 1px solid var(--ink);
  margin-bottom: 20px;
}
h1 {
  font-size: 36px;
}
section :deep(h2) {
  font-size: 20px;
  margin-bottom: 10px;
}
section :deep(form) {
  display: grid;
  gap: 4px;
}
section :deep(label:not(:first-child)) {
  margin-top: 8px;
}
section :deep(form .ant-btn) {
  justify-self: start;
  margin-top: 12px;
}
section :deep(form .warn) {
  margin: 8px 0 0;
}
section :deep(p.soft) {
  margin: 14px 0 0;
}
</style>
