<script lang="ts">
  import Choice from '$lib/ui/Choice.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { doors } from '$api/kinds';
  import Phrase from '$lib/package/Phrase.svelte';

  type Door = (typeof doors)[number]['name'];
  interface Props {
    parcel: string;
    door: string;
    hasPassphrase: boolean;
    change: (edit: { door?: Door; passphrase?: string }) => Promise<void>;
  }
  let { parcel, door, hasPassphrase, change }: Props = $props();
  let phrase = $state('');
  let good = $state(false);
  const offered = doors.filter((d) => d.offered);

  async function set(event: SubmitEvent) {
    event.preventDefault();
    await change({ passphrase: phrase });
    phrase = '';
  }
</script>

<Choice
  label="Door"
  options={offered.map((d) => ({ value: d.name, name: d.word, hint: d.means }))}
  bind:value={() => door, (to) => void change({ door: to as Door })}
/>
<p class="muted hint">{doors.find((d) => d.name === door)?.means}</p>
{#if door === 'passphrase'}
  <form onsubmit={set}>
    <Phrase
      {parcel}
      placeholder={hasPassphrase
        ? 'Passphrase is set; type another to change it'
        : 'Four words that do not belong together'}
      bind:value={phrase}
      bind:taken={good}
    />
    <Button disabled={!good}>Set</Button>
  </form>
{/if}

<style>
  .hint {
    font-size: var(--t-small);
    margin-top: var(--s-2);
  }
  form {
    display: flex;
    align-items: start;
    gap: var(--s-3);
    margin-top: var(--s-5);
  }
</style>
