<!-- What happens on sending, in one sentence, what speaks against it, and the button. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import type { Package } from '$api/client';

  let {
    parcel,
    problem,
    waits,
    whenDone,
    ready,
    send,
  }: {
    parcel: Package;
    problem: string;
    /** something is still on its way into it */
    waits: boolean;
    /** it goes by itself once everything is there */
    whenDone: boolean;
    ready: boolean;
    send: () => void;
  } = $props();
</script>

<div class="send">
  <p class="sentence" aria-live="polite">
    {#each parcel.sentence as part, i (i)}{#if part.strong}<strong>{part.text}</strong>{:else}{part.text}{/if}{/each}
  </p>
  {#each parcel.warnings as w, i (w.code + i)}
    <p class="warning" class:blocks={w.blocks}>
      <svg
        width="16"
        height="15"
        viewBox="0 0 16 15"
        fill="none"
        stroke="currentColor"
        stroke-width="1.5"
        aria-hidden="true"
      >
        <path d="M8 1.5 15 14H1z M8 6v4 M8 11.4v1" />
      </svg>
      {w.text}
    </p>
  {/each}
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  <div class="go">
    <Button look="main" onclick={send} disabled={!ready} aria-pressed={waits ? whenDone : undefined}>
      {#if !waits}Send{:else if whenDone}Goes when the upload is done{:else}Send when the upload is done{/if}
      <kbd class="key">Ctrl ↵</kbd>
    </Button>
    {#if parcel.recipients[0]}
      <Button look="link" href={parcel.recipients[0].link} target="_blank" rel="noopener"
        >See it as {parcel.recipients[0].anyone ? 'anyone' : parcel.recipients[0].name}</Button
      >
    {/if}
  </div>
</div>

<style>
  .send {
    border-top: 1px solid var(--ink);
    margin-top: var(--s-9);
    padding-top: var(--s-6);
  }
  .sentence {
    font-family: var(--font-display);
    font-size: var(--t-lead);
    line-height: 1.38;
    margin-bottom: var(--s-4);
  }
  .sentence strong {
    font-weight: 700;
  }
  .warning {
    display: flex;
    gap: var(--s-3);
    align-items: baseline;
    color: var(--late);
    margin-bottom: var(--s-2);
  }
  .warning svg {
    flex: none;
    transform: translateY(2px);
  }
  .go {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-8);
    margin-top: var(--s-7);
  }
</style>
