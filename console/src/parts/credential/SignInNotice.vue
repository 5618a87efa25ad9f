<template>
  <div class="page notice">
    <h1>Sign in</h1>
    <p>
      The console opens with a link that works once, for ten minutes. On the machine that runs the service,
      type:
    </p>
    <pre class="mono">ckettle status --link</pre>
    <p class="dim">
      With the demo or from a clone of the project:
      <span class="mono">node cli/bin/ckettle.mjs --data .demo status --link</span>
    </p>
  </div>
</template>

<style scoped>
.notice {
  max-width: 560px;
  margin: 48px auto;
  display: grid;
  gap: 12px;
}
pre {
  padding: 10px 12px;
  border: 1px solid rgba(128, 128, 128, 0.3);
  border-radius: 4px;
}
</style>
