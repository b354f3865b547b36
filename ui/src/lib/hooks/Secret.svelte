<!-- The secret of a webhook, which is shown once. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';

  let { secret, both = false }: { secret: string; both?: boolean } = $props();
  let copied = $state(false);
  async function copy() {
    await navigator.clipboard.writeText(secret);
    copied = true;
  }
</script>

<div class="ask">
  <p>
    It is shown this once. Your program checks with it that a message is from here, and not older than five minutes
    (Standard Webhooks).{both ? ' For a day the secret before is good too.' : ''}
  </p>
  <p class="secret figure">{secret}</p>
  <Button look="main" onclick={copy}>{copied ? 'Copied' : 'Copy'}</Button>
</div>

<style>
  .ask {
    display: grid;
    gap: var(--s-6);
    justify-items: start;
  }
  .secret {
    overflow-wrap: anywhere;
    background: var(--empty);
    border-radius: var(--radius);
    padding: var(--s-4) var(--s-5);
  }
</style>
