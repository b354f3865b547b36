<!-- Who is here at this moment, where, and what they take how fast; in all packages, or in one. -->
<script lang="ts">
  import { api, need, type Schemas } from '$api/client';
  import { live } from '$lib/live.svelte';
  import { Resource } from '$lib/resource.svelte';

  let { parcel = '' }: { parcel?: string } = $props();
  type Present = Schemas['PresentView'];
  const here = new Resource<Present[]>(
    async () => (await need(api.GET('/api/v1/now', { params: { query: { package: parcel } } }))) ?? [],
  );
  const most = 6;
  const shown = $derived(here.value ?? []);

  // Signs come every few seconds and receipts every second: asked for once a second, and again when signs have run out.
  let due: ReturnType<typeof setTimeout> | undefined;
  let after: ReturnType<typeof setTimeout> | undefined;
  function soon() {
    due ??= setTimeout(() => {
      due = undefined;
      void here.load();
    }, 900);
    clearTimeout(after);
    after = setTimeout(again, 6000);
  }
  function again() {
    void here.load();
    if (shown.length) after = setTimeout(again, 6000);
  }
  live(
    '/api/v1/live',
    (change) => {
      if (change.what === 'resync' || (['presence', 'ledger'].includes(change.what) && (!parcel || change.package === parcel))) soon(); // prettier-ignore
    },
    true,
  );
  void here.load();
  $effect(() => () => {
    clearTimeout(due);
    clearTimeout(after);
  });
  const share = (p: Present) => (p.doing === 'takes' && p.size ? Math.min(1, p.place / p.size) : 0);
</script>

{#if shown.length}
  <section class="now" aria-label="Here now">
    <h2>Now</h2>
    <ul>
      {#each shown.slice(0, most) as p (p.recipient + p.item + p.doing)}
        <li class={p.doing}>
          <svg viewBox="0 0 14 14" width="14" height="14" aria-hidden="true">
            {#if p.doing === 'plays'}<path d="M3 1.5v11L12 7z" />
            {:else if p.doing === 'takes'}<path d="M7 1v8M3.5 6L7 9.5 10.5 6M1.5 13h11" />
            {:else}<circle cx="7" cy="7" r="4" />{/if}
          </svg>
          <span class="who"
            ><strong>{p.name}</strong>
            {p.saying}
            {#if !parcel}<a class="muted" href="/packages/{p.package}">{p.title}</a>{/if}</span
          >
          {#if share(p)}<span class="bar" aria-hidden="true"><i style:width="{share(p) * 100}%"></i></span>{/if}
        </li>
      {/each}
    </ul>
    {#if shown.length > most}<p class="muted">and {shown.length - most} more</p>{/if}
  </section>
{/if}

<style>
  .now {
    display: flex;
    align-items: baseline;
    gap: var(--s-7);
    padding: var(--s-4) 0;
    border-bottom: 1px solid var(--line);
  }
  h2 {
    font-size: var(--t-control);
    color: var(--seen);
  }
  ul {
    flex: 1;
    min-width: 0;
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(100%, 420px), 1fr));
    gap: var(--s-1) var(--s-9);
    list-style: none;
    margin: 0;
    padding: 0;
  }
  li {
    display: grid;
    grid-template-columns: 14px minmax(0, 1fr);
    column-gap: var(--s-3);
    align-items: center;
    font-size: var(--t-small);
    line-height: 24px;
  }
  svg {
    fill: var(--seen);
  }
  .takes svg {
    fill: none;
    stroke: var(--main);
    stroke-width: 1.8;
  }
  .looks svg,
  .here svg {
    fill: none;
    stroke: var(--seen);
    stroke-width: 2;
  }
  .who {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-variant-numeric: tabular-nums;
  }
  .who a {
    margin-left: var(--s-2);
    text-decoration: underline;
    text-decoration-color: var(--perforation);
    text-underline-offset: 3px;
  }
  .bar {
    grid-column: 2;
    height: 3px;
    background: var(--line);
  }
  .bar i {
    display: block;
    height: 100%;
    background: var(--main);
  }
  @media (--phone) {
    .now {
      display: block;
    }
    .who {
      white-space: normal;
    }
  }
</style>
