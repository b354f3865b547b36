<script lang="ts">
  type Door = 'open' | 'passphrase' | 'named';
  interface Props {
    door: string;
    hasPassphrase: boolean;
    change: (edit: { door?: Door; passphrase?: string }) => Promise<void>;
  }
  let { door, hasPassphrase, change }: Props = $props();
  let phrase = $state('');
  const doors: { value: Door; name: string; means: string }[] = [
    { value: 'open', name: 'Open', means: 'Whoever has a link gets in.' },
    { value: 'passphrase', name: 'Passphrase', means: 'Tell them by another way than this letter.' },
    { value: 'named', name: 'Named', means: 'Only the people above. On a new device a code goes to their mail.' },
  ];

  async function set(event: SubmitEvent) {
    event.preventDefault();
    await change({ passphrase: phrase });
    phrase = '';
  }
</script>

<div class="choices" role="group" aria-label="Door">
  {#each doors as d (d.value)}
    <button type="button" aria-pressed={door === d.value} onclick={() => change({ door: d.value })}>{d.name}</button>
  {/each}
</div>
<p class="muted hint">{doors.find((d) => d.value === door)?.means}</p>
{#if door === 'passphrase'}
  <form onsubmit={set}>
    <input
      class="field"
      aria-label="Passphrase"
      autocomplete="off"
      placeholder={hasPassphrase
        ? 'Passphrase is set; type another to change it'
        : 'Four words that do not belong together'}
      bind:value={phrase}
    />
    <button class="button" disabled={phrase.trim().length < 4}>Set</button>
  </form>
{/if}

<style>
  .hint {
    font-size: var(--t-small);
    margin-top: 6px;
  }
  form {
    display: flex;
    gap: 8px;
    margin-top: 8px;
  }
</style>
