<!-- The recipient page exactly as a given person sees it, wide and on a phone; to look leaves no trace. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, need, type Package } from '$api/client';
  import { Resource } from '$lib/resource.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Rights from '$lib/ui/Rights.svelte';
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

  const wide = { width: 1280, height: 800 };
  const phone = { width: 390, height: 844 };
  let room = $state(wide.width);
  const scale = $derived(Math.min(1, room / wide.width));
  let side = $state(phone.width);
  const small = $derived(Math.min(1, side / phone.width));
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
        <div class="frames">
          <figure>
            <figcaption class="muted">On a desk, {wide.width} × {wide.height}</figcaption>
            <div class="sheet" bind:clientWidth={room} style:height="{wide.height * scale}px">
              <iframe
                title="Wide, as {who.name} sees it"
                src={seen}
                style:width="{wide.width}px"
                style:height="{wide.height}px"
                style:transform="scale({scale})"
              ></iframe>
            </div>
          </figure>
          <figure>
            <figcaption class="muted">On a phone, {phone.width} × {phone.height}</figcaption>
            <div class="sheet" bind:clientWidth={side} style:height="{phone.height * small}px">
              <iframe
                title="On a phone, as {who.name} sees it"
                src={seen}
                style:width="{phone.width}px"
                style:height="{phone.height}px"
                style:transform="scale({small})"
              ></iframe>
            </div>
          </figure>
        </div>
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
  .frames {
    display: grid;
    grid-template-columns: minmax(0, 1280fr) minmax(0, 390fr);
    align-items: start;
    gap: var(--s-9);
  }
  figcaption {
    font-size: var(--t-small);
    margin-bottom: var(--s-3);
  }
  .sheet {
    overflow: hidden;
    border: 1px solid var(--line);
    border-radius: var(--radius);
    background: var(--ground);
  }
  iframe {
    border: 0;
    transform-origin: 0 0;
    display: block;
    max-width: none;
  }
  @media (--narrow) {
    .frames {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
