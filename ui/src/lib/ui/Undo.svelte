<!-- Says what was just done and takes it back: with the button, or with Ctrl+Z. -->
<script lang="ts">
  import { words } from '$api/client';
  import Toast from './Toast.svelte';
  import { undo } from '$lib/undo.svelte';

  async function take() {
    try {
      await undo.take();
    } catch (thrown) {
      undo.did(words(thrown));
    }
  }
  function press(event: KeyboardEvent) {
    if (!(event.ctrlKey || event.metaKey) || event.key !== 'z' || event.shiftKey || !undo.can) return;
    if ((event.target as HTMLElement).closest('input, textarea, [contenteditable]')) return;
    event.preventDefault();
    void take();
  }
</script>

<svelte:window onkeydown={press} />

<div class="undo noprint" aria-live="polite">
  {#if undo.said}
    <Toast>
      <span>{undo.said}</span>
      {#if undo.can}<button onclick={take}>Undo</button>{/if}
      <button class="close" onclick={() => undo.forget()} aria-label="Close this message">×</button>
    </Toast>
  {/if}
</div>

<style>
  .undo {
    position: fixed;
    left: 50%;
    bottom: 24px;
    translate: -50% 0;
    z-index: 30;
  }
  /* Not over the bar with what is chosen. */
  :global(body:has([role='toolbar'])) .undo {
    bottom: 96px;
  }
  /* Nor over the button that sends. */
  :global(body:has(main.compose)) .undo {
    left: var(--page);
    translate: 0 0;
  }
  button {
    min-height: 24px;
    font-weight: 650;
    border-bottom: 1.5px solid currentcolor;
  }
  .close {
    min-width: 28px;
    border: 0;
    font-size: var(--t-large);
    line-height: 1;
  }
  button:focus-visible {
    outline-color: var(--surface);
  }
</style>
