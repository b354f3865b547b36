<!-- Where the player is, as timecode, frames or clock. A click lets one type where to go. -->
<script lang="ts">
  import { clock, label, typed } from '$lib/timecode';
  import Field from '$lib/ui/Field.svelte';
  import type { Transport } from './transport.svelte';
  import { tick } from 'svelte';

  let { transport, words }: { transport: Transport; words: string } = $props();
  let typing = $state(false);
  let text = $state('');
  let wrong = $state(false);
  let box = $state<HTMLInputElement>();

  export async function type() {
    transport.pause();
    text = '';
    typing = true;
    wrong = false;
    await tick();
    box?.focus();
  }
  function go(event: SubmitEvent) {
    event.preventDefault();
    const to = typed(text, transport.line, transport.seconds);
    wrong = Number.isNaN(to) || to > transport.length + 0.5;
    if (wrong) return;
    transport.go(to);
    close();
  }
  // The keys of the player are the page's again; Tab goes on from here.
  function close() {
    box?.blur();
    typing = false;
  }
  const example = $derived(transport.line ? label(transport.line, transport.frame) : clock(transport.seconds));
</script>

{#if typing}
  <form onsubmit={go}>
    <Field
      bind:box
      bind:value={text}
      class="figure"
      aria-label="Go to a timecode, a frame (f 812), or a step (+10)"
      placeholder={example}
      aria-invalid={wrong ? 'true' : undefined}
      onkeydown={(e) => e.key === 'Escape' && (e.stopPropagation(), close())}
      onblur={() => (typing = false)}
    />
    {#if wrong}<span class="problem" role="alert">There is no such place in it.</span>{/if}
  </form>
{:else}
  <button class="figure now" title="Type where to go" onclick={() => void type()}>
    <span class="visually-hidden">Go to another place than </span><output data-timecode>{words}</output>
  </button>
{/if}

<style>
  .now {
    font-size: var(--t-lead);
    min-height: 30px;
    white-space: nowrap;
    text-align: left;
  }
  .now:hover {
    text-decoration: underline;
    text-underline-offset: 4px;
    text-decoration-thickness: 1px;
  }
  form {
    position: relative;
    width: 15ch;
  }
  form :global(.field) {
    padding: var(--s-0) var(--s-3);
    min-height: 30px;
  }
  .problem {
    position: absolute;
    top: 100%;
    left: 0;
    white-space: nowrap;
    background: var(--surface);
    padding: 0 var(--s-3);
    z-index: 2;
  }
</style>
