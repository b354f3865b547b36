<!-- The state of a package as a ring that closes, always with its word. -->
<script lang="ts">
  type State = 'draft' | 'out' | 'closing' | 'closed' | 'cleared';
  let {
    state,
    stopped = false,
    size = 18,
    large = false,
  }: { state: State; stopped?: boolean; size?: number; large?: boolean } = $props();
  const words: Record<State, string> = {
    draft: 'Draft',
    out: 'Out',
    closing: 'Closing',
    closed: 'Closed',
    cleared: 'Cleared',
  };
  const word = $derived(words[state] + (stopped && state === 'closed' ? ' (stopped)' : ''));
  const round = 2 * Math.PI * 9;
</script>

<span class="state {state}" class:large>
  <svg
    width={size}
    height={size}
    viewBox="0 0 24 24"
    fill="none"
    stroke="currentColor"
    stroke-width="2.4"
    aria-hidden="true"
  >
    {#if state === 'draft'}
      <circle cx="12" cy="12" r="9" stroke-dasharray="2.6 3.05" />
    {:else if state === 'out'}
      <circle
        cx="12"
        cy="12"
        r="9"
        stroke-dasharray="{round * 0.62} {round}"
        transform="rotate(-18 12 12)"
        stroke-linecap="round"
      />
    {:else if state === 'closing'}
      <circle
        cx="12"
        cy="12"
        r="9"
        stroke-dasharray="{round * 0.9} {round}"
        transform="rotate(18 12 12)"
        stroke-linecap="round"
      />
    {:else if state === 'closed'}
      <circle cx="12" cy="12" r="9" fill="currentColor" />
    {:else}
      <path d="M4 12h16" stroke-linecap="round" />
    {/if}
  </svg>
  {word}
</span>

<style>
  .state {
    display: inline-flex;
    align-items: center;
    gap: var(--s-3);
    font-weight: 600;
    white-space: nowrap;
  }
  .large {
    font-family: var(--font-display);
    font-size: var(--t-large);
    gap: var(--s-4);
  }
  .out {
    color: var(--main);
  }
  .closing {
    color: var(--late);
  }
  .draft,
  .closed,
  .cleared {
    color: var(--muted);
  }
</style>
