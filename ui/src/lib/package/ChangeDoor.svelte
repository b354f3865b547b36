<!-- Another door, or another passphrase, for a package that is out; and what becomes of those who are in. -->
<script lang="ts">
  import { api, need, words, type Package } from '$api/client';
  import Button from '$lib/ui/Button.svelte';
  import DoorPick from './DoorPick.svelte';

  let { parcel, changed }: { parcel: Package; changed: (parcel: Package) => void } = $props();
  // svelte-ignore state_referenced_locally (what it begins with)
  let door = $state<string>(parcel.door);
  let phrase = $state('');
  let good = $state(false);
  let keep = $state(false);
  let problem = $state('');
  let busy = $state(false);
  const asks = $derived(door === 'passphrase');
  const ready = $derived(
    !busy && (asks ? good || (parcel.has_passphrase && door !== parcel.door) : door !== parcel.door),
  );

  async function change(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      const body = {
        ...(door !== parcel.door && { door: door as Package['door'] }),
        ...(asks && phrase && { passphrase: phrase }),
        keep_in: keep,
      };
      changed(await need(api.PATCH('/api/v1/packages/{id}', { params: { path: { id: parcel.id } }, body })));
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
</script>

<form onsubmit={change}>
  <DoorPick
    parcel={parcel.id}
    label={parcel.has_passphrase ? 'Another passphrase' : 'Passphrase'}
    bind:door
    bind:passphrase={phrase}
    bind:good
    bind:keep
  />
  <p class="muted">
    {keep
      ? 'The new door is for whoever comes from now on.'
      : 'Whoever came in by the old door is outside at once, and what they are downloading is cut. It goes on where it stopped once they are in again.'}
  </p>
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  <Button look="main" disabled={!ready}>{busy ? 'Changing' : 'Change the door'}</Button>
</form>

<style>
  form {
    display: grid;
    justify-items: start;
    gap: var(--s-5);
  }
</style>
