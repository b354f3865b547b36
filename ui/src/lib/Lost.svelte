<!-- An address that leads nowhere, or a page that failed. -->
<script lang="ts">
  import '$lib/fonts';
  import { page } from '$app/state';
  import Button from '$lib/ui/Button.svelte';
  import Frame from '$lib/ui/Frame.svelte';

  const unknown = $derived(page.status === 404);
</script>

<svelte:head><title>{unknown ? 'Nothing lies here' : 'This page failed'} · Aftergust</title></svelte:head>

<Frame>
  {#if unknown}
    <h1>Nothing lies at this address</h1>
    <p class="say">It may have been mistyped, or cut short on its way to you. Nothing was changed.</p>
    <p class="acts"><Button look="main" href="/">To the Desk</Button></p>
  {:else}
    <h1>This page failed</h1>
    <p class="say">What was saved is safe. Load it once more; if it fails again, say so to whoever runs this server.</p>
    <p class="acts"><Button look="main" onclick={() => location.reload()}>Load it again</Button></p>
  {/if}
  {#snippet beside()}
    <dl>
      <dt>address</dt>
      <dd class="figure">{page.url.pathname}</dd>
      <dt>a link</dt>
      <dd>Links to packages are 22 signs after /r/. Copy all of it from the letter, or ask for a new one.</dd>
      {#if !unknown}
        <dt>fault</dt>
        <dd>{page.error?.message ?? 'unknown'}</dd>
      {/if}
    </dl>
  {/snippet}
</Frame>

<style>
  .say {
    margin: var(--s-6) 0 var(--s-9);
    max-width: 46ch;
  }
</style>
