<!-- The recipient page exactly as a given person sees it, wide and on a phone; to look leaves no trace. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, need, type Package } from '$api/client';
  import { Resource } from '$lib/resource.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Rights from '$lib/ui/Rights.svelte';
  import Screens from '$lib/ui/Screens.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  const id = $derived(page.params.id ?? '');
  const parcel = new Resource<Package>(() => need(api.GET('/api/v1/packages/{id}', { params: { path: { id } } })));
  $effect(() => {
    if (id) void parcel.load();
  });
  const all = $derived(parcel.value?.recipients ?? []);
  const who = $derived(all.find((r) => r.id === page.url.searchParams.get('who')) ?? all[0]);
  const seen = $derived(who ? new URL(who.link).pathname : '');
  const pick = (to: string) => goto(`?who=${to}`, { replaceState: true, keepFocus: true, noScroll: true });
</script>

<svelte:head><title>As {who?.name ?? 'they'} will see it · Aftergust</title></svelte:head>

<main>
  <Wait of={parcel} shape="page">
    {#snippet children(p)}
      <header>
        <div>
          <h1>
            {p.title}, as {who ? (who.anyone ? 'anyone with the link sees' : `${who.name} sees`) : 'nobody sees'} it
          </h1>
          <p class="muted">
            {p.state === 'draft' ? 'Nobody has been written to. ' : ''}To look here leaves no trace in the ledger, and
            the door stands open to you.
          </p>
        </div>
        <Button href="/packages/{p.id}">Back to the package</Button>
      </header>
      {#if who}
        <div class="who">
          {#if all.length <= 4}
            <Choice
              label="Whose page"
              options={all.map((r) => ({ value: r.id, name: r.name }))}
              bind:value={() => who.id, (to) => void pick(to)}
            />
          {:else}
            <Select
              label="Whose page"
              options={all.map((r) => ({ value: r.id, name: r.name }))}
              value={who.id}
              pick={(to) => void pick(to)}
            />
          {/if}
          <Rights rights={who.rights ?? []} who={who.name} />
        </div>
        <Screens src={seen} name="as {who.name} sees it" />
      {:else}
        <p>Put somebody on the waybill first; then you see here what they will see.</p>
      {/if}
    {/snippet}
  </Wait>
</main>

<style>
  main {
    padding: var(--s-8) var(--page) var(--s-11);
  }
  header {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    align-items: start;
    gap: var(--s-5) var(--s-9);
  }
  h1 {
    font-size: var(--t-title);
    overflow-wrap: anywhere;
  }
  .who {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-5) var(--s-8);
    margin: var(--s-7) 0;
  }
</style>
