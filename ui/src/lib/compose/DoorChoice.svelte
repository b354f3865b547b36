<script lang="ts">
  import { doors } from '$api/kinds';

  type Door = (typeof doors)[number]['name'];
  interface Props {
    door: string;
    hasPassphrase: boolean;
    change: (edit: { door?: Door; passphrase?: string }) => Promise<void>;
  }
  let { door, hasPassphrase, change }: Props = $props();
  let phrase = $state('');
  const offered = doors.filter((d) => d.offered);

  async function set(event: SubmitEvent) {
    event.preventDefault();
    await change({ passphrase: phrase });
    phrase = '';
  }
</script>

<div class="choices" role="group" aria-label="Door">
  {#each offered as d (d.name)}
    <button type="button" aria-pressed={door === d.name} onclick={() => change({ door: d.name })}>{d.word}</button>
  {/each}
</div>
<p class="muted hint">{doors.find((d) => d.name === door)?.means}</p>
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
