<!-- Where one is, as a path that things can be dropped on, and the views across all places. -->
<script lang="ts">
  import { api, need, words, type Place } from '$api/client';
  import { undo } from '$lib/undo.svelte';
  import Editable from '$lib/ui/Editable.svelte';
  import { move } from './acts';
  import { address, gather, views } from './gather.svelte';

  let beside = $state<{ at: string; places: Place[] } | null>(null);
  let over = $state('');
  const where = $derived(gather.where);

  async function siblings(p: Place) {
    if (beside?.at === p.id) beside = null;
    else
      beside = {
        at: p.id,
        places: await need(api.GET('/api/v1/places', { params: { query: p.parent ? { parent: p.parent } : {} } })),
      };
  }
  async function describe(about: string) {
    const id = gather.here?.id;
    if (!id) return;
    try {
      await need(api.PATCH('/api/v1/places/{id}', { params: { path: { id } }, body: { about } }));
    } catch (thrown) {
      undo.did(words(thrown));
    }
    await gather.load();
  }
  const ours = 'application/x-aftergust';
  function hover(event: DragEvent, p: Place) {
    if (!event.dataTransfer?.types.includes(ours) || p.id === gather.here?.id) return;
    event.preventDefault();
    over = p.id;
  }
  function drop(event: DragEvent, p: Place) {
    over = '';
    if (!event.dataTransfer?.types.includes(ours)) return;
    event.preventDefault();
    event.stopPropagation();
    void move(gather.selection, p);
  }
</script>

<svelte:window onclick={() => (beside = null)} />

<header class="head">
  <nav class="path" aria-label="Path">
    <a href={address({})} aria-current={!gather.path.length && where.view === 'inside' ? 'page' : undefined}>Gather</a>
    {#if where.view !== 'inside'}
      <span class="crumb" aria-current="page">{views.find(([v]) => v === where.view)?.[1] ?? 'Everywhere'}</span>
    {/if}
    {#each gather.path as p, i (p.id)}
      <span class="crumb" class:over={over === p.id}>
        <a
          href={address({ place: p.id })}
          aria-current={i === gather.path.length - 1 ? 'page' : undefined}
          ondragover={(e) => hover(e, p)}
          ondragleave={() => (over = '')}
          ondrop={(e) => drop(e, p)}>{p.name}</a
        >
        <button
          class="turn"
          aria-label="Beside {p.name}"
          aria-expanded={beside?.at === p.id}
          onclick={(e) => (e.stopPropagation(), siblings(p))}
          ><svg width="11" height="7" viewBox="0 0 11 7" aria-hidden="true"
            ><path d="M1 1l4.5 4.5L10 1" fill="none" stroke="currentColor" stroke-width="1.6" /></svg
          ></button
        >
        {#if beside?.at === p.id}
          <span class="slip beside">
            {#each beside.places as b (b.id)}
              <a href={address({ place: b.id })} aria-current={b.id === p.id ? 'true' : undefined}>{b.name}</a>
            {/each}
          </span>
        {/if}
      </span>
    {/each}
  </nav>
  <div class="views">
    {#each views as [view, name] (view)}
      <a href={address({ view })} aria-current={where.view === view ? 'page' : undefined}>{name}</a>
    {/each}
  </div>
</header>
{#if gather.here && where.view === 'inside'}
  <div class="about">
    <Editable
      label="What {gather.here.name} is"
      value={gather.here.about}
      placeholder="Say in a line what this is"
      save={describe}
    />
  </div>
{/if}

<style>
  .head {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    align-items: baseline;
    gap: var(--s-2) var(--s-10);
    padding-top: var(--s-8);
  }
  .path {
    display: flex;
    flex-wrap: wrap;
    align-items: baseline;
    gap: var(--s-0) var(--s-5);
    font-family: var(--font-display);
    font-weight: 650;
    font-size: var(--t-large);
    letter-spacing: -0.01em;
  }
  .path > * + *::before {
    content: '';
    display: inline-block;
    width: 14px;
    margin-right: var(--s-5);
    border-bottom: 2px dotted var(--perforation);
    translate: 0 -5px;
  }
  .path a {
    color: var(--muted);
  }
  .path a:hover {
    color: var(--main);
  }
  .path [aria-current='page'],
  .path .crumb[aria-current='page'] {
    color: var(--ink);
    font-size: var(--t-title);
  }
  .crumb {
    position: relative;
  }
  .over a {
    background: var(--late-faint);
    outline: 2px dashed var(--late);
  }
  .turn {
    width: 26px;
    min-height: 24px;
    color: var(--muted);
    display: inline-grid;
    place-items: center;
  }
  .beside {
    top: 100%;
    left: 20px;
  }
  .path .beside a {
    color: var(--ink);
  }
  .beside a[aria-current] {
    font-weight: 700;
    font-size: var(--t-base);
  }
  .views {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-0) var(--s-8);
    font-size: var(--t-control);
  }
  .views a {
    color: var(--muted);
    padding: var(--s-0) 0;
    border-bottom: 1.5px solid transparent;
  }
  .views a:hover,
  .views a[aria-current] {
    color: var(--main);
    border-bottom-color: currentColor;
  }
  @media (--narrow) {
    .views {
      flex-wrap: nowrap;
      gap: var(--s-7);
      overflow-x: auto;
      max-width: 100%;
      scrollbar-width: none;
      white-space: nowrap;
    }
    .head {
      padding-top: var(--s-6);
    }
    .path {
      font-size: var(--t-base);
      gap: var(--s-0) var(--s-3);
    }
    .path > * + *::before {
      width: 10px;
      margin-right: var(--s-3);
    }
    .path [aria-current='page'],
    .path .crumb[aria-current='page'] {
      font-size: var(--t-large);
    }
  }
</style>
