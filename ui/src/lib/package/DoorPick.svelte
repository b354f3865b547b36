<!-- Another door for what is out, its passphrase, and what becomes of those who are in. -->
<script lang="ts">
  import { doors } from '$api/kinds';
  import Choice from '$lib/ui/Choice.svelte';
  import Tick from '$lib/ui/Tick.svelte';
  import Phrase from './Phrase.svelte';

  interface Props {
    /** the package against which a passphrase is weighed */
    parcel: string;
    door: string;
    passphrase: string;
    /** the passphrase is good enough */
    good: boolean;
    /** whoever is in stays in */
    keep: boolean;
    label?: string;
  }
  let {
    parcel,
    door = $bindable(),
    passphrase = $bindable(),
    good = $bindable(),
    keep = $bindable(),
    label = 'Passphrase',
  }: Props = $props();
  const offered = doors.filter((d) => d.offered);
</script>

<Choice label="Door" options={offered.map((d) => ({ value: d.name, name: d.word, hint: d.means }))} bind:value={door} />
<p class="muted">{doors.find((d) => d.name === door)?.means}</p>
{#if door === 'passphrase'}<Phrase {parcel} {label} bind:value={passphrase} bind:taken={good} />{/if}
<Tick bind:checked={keep}>Whoever is in stays in</Tick>
