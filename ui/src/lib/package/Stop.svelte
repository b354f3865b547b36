<!-- Asks before a package is stopped, and says what that does. -->
<script lang="ts">
  import { api, need, words, type Package } from '$api/client';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';

  interface Props {
    open: boolean;
    parcel: { id: string; title: string } | undefined;
    stopped: (parcel: Package) => void;
  }
  let { open = $bindable(), parcel, stopped }: Props = $props();
  let problem = $state('');
  let busy = $state(false);
  $effect(() => {
    if (open) problem = '';
  });

  async function stop() {
    if (!parcel || busy) return;
    busy = true;
    try {
      stopped(await need(api.POST('/api/v1/packages/{id}/stop', { params: { path: { id: parcel.id } } })));
      open = false;
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
</script>

<Dialog bind:open title="Stop {parcel?.title ?? ''}" size="small">
  <div class="ask">
    <p>
      Every link goes dead at once, and downloads that run are cut. What was taken stays in the record, and you can open
      the package again while its files are held.
    </p>
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <Button look="wrong" onclick={stop} disabled={busy}>{busy ? 'Stopping' : 'Stop it now'}</Button>
  </div>
</Dialog>

<style>
  .ask {
    display: grid;
    gap: var(--s-6);
    justify-items: start;
  }
</style>
