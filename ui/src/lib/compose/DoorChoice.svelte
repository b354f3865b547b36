<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Button from '$lib/ui/Button.svelte';
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

<Choice
  label="Door"
  options={offered.map((d) => ({ value: d.name, name: d.word, hint: d.means }))}
  bind:value={() => door, (to) => void change({ door: to as Door })}
/>
<p class="muted hint">{doors.find((d) => d.name === door)?.means}</p>
{#if door === 'passphrase'}
  <form onsubmit={set}>
    <Field
      aria-label="Passphrase"
      autocomplete="off"
      placeholder={hasPassphrase
        ? 'Passphrase is set; type another to change it'
        : 'Four words that do not belong together'}
      bind:value={phrase}
    />
    <Button disabled={phrase.trim().length < 4}>Set</Button>
  </form>
{/if}

<style>
  .hint {
    font-size: var(--t-small);
    margin-top: var(--s-2);
  }
  form {
    display: flex;
    gap: var(--s-3);
    margin-top: var(--s-3);
  }
</style>
