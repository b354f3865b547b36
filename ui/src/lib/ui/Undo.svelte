<!-- Says what was just done and takes it back: with the button, or with Ctrl+Z. -->
<script lang="ts">
  import { words } from '$api/client';
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

<div class="undo noprint" role="status" class:shown={undo.said}>
  {#if undo.said}
    <span>{undo.said}</span>
    {#if undo.can}<button onclick={take}>Undo</button>{/if}
    <button class="close" onclick={() => undo.forget()} aria-label="Close this message">×</button>
  {/if}
</div>

<style>
  .undo {
    position: fixed;
    left: 50%;
    bottom: 24px;
    translate: -50% 0;
    z-index: 30;
    max-width: min(640px, calc(100vw - 32px));
  }
  .shown {
    display: flex;
    align-items: center;
    gap: 16px;
    padding: 10px 10px 10px 18px;
    background: var(--ink);
    color: var(--surface);
    border-radius: var(--radius);
  }
  button {
    font-weight: 650;
    border-bottom: 1.5px solid currentColor;
  }
  .close {
    border: 0;
    padding: 0 8px;
    font-size: 20px;
    line-height: 1;
  }
  button:focus-visible {
    outline-color: var(--surface);
  }
</style>
