<!-- The clients, or the projects of one: what lies there, what of it is out and until when, what changed last. -->
<script lang="ts">
  import { api, need, words, type Schemas } from '$api/client';
  import { clock } from '$lib/live.svelte';
  import { Resource } from '$lib/resource.svelte';
  import { briefly, inFull, untilWhen } from '$lib/time';
  import { undo } from '$lib/undo.svelte';
  import Editable from '$lib/ui/Editable.svelte';
  import Tick from '$lib/ui/Tick.svelte';
  import Wait from '$lib/ui/Wait.svelte';
  import Face from './Face.svelte';
  import { counted } from './acts';
  import { address, gather, type Row } from './gather.svelte';

  interface Props {
    /** id of the client; empty for all clients */
    parent: string;
    /** counts what has changed since */
    changed: number;
    menu: (x: number, y: number) => void;
    /** things were dropped on a place */
    put: (place: string) => void;
  }
  let { parent, changed, menu, put }: Props = $props();

  const looks = new Resource(() =>
    need(api.GET('/api/v1/places/overview', { params: { query: parent ? { parent } : {} } })),
  );
  let shownFor = '';
  let box = $state<HTMLElement>();
  let over = $state('');
  $effect(() => {
    void changed;
    if (shownFor !== parent) looks.clear();
    shownFor = parent;
    void looks.load();
  });

  const things = (n: number) => counted(n, 'thing', 'things');
  async function describe(id: string, about: string) {
    try {
      await need(api.PATCH('/api/v1/places/{id}', { params: { path: { id } }, body: { about } }));
    } catch (thrown) {
      undo.did(words(thrown));
    }
    await looks.load();
  }
  export function focus() {
    box?.querySelector<HTMLElement>('a.place')?.focus({ preventScroll: true });
  }
  function key(event: KeyboardEvent) {
    const at = event.target as HTMLElement;
    if (!box || !at.matches('a.place')) return;
    const row = at.closest<HTMLElement>('[data-id]');
    if (event.key === ' ' && row) gather.choose(row.dataset.id!, 'also');
    else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      const all = [...box.querySelectorAll<HTMLElement>('a.place')];
      all[all.indexOf(at) + (event.key === 'ArrowDown' ? 1 : -1)]?.focus();
    } else return;
    event.preventDefault();
  }
  function press(event: MouseEvent, id: string) {
    if (!event.ctrlKey && !event.metaKey && !event.shiftKey) return;
    event.preventDefault();
    gather.choose(id, event.shiftKey ? 'to' : 'also');
  }
  function ask(event: MouseEvent, id: string) {
    event.preventDefault();
    if (!gather.chosen.has(id)) gather.choose(id);
    menu(event.clientX, event.clientY);
  }
  const ours = 'application/x-aftergust';
  const row = (id: string): Row | undefined => gather.rows.find((r) => r.id === id);
</script>

{#snippet out(list: Schemas['OutFrom'][])}
  {#if list[0]}
    {@const soon = list[0].state === 'closing'}
    <a class="out" class:late={soon} href="/packages/{list[0].id}" title={inFull(new Date(list[0].ends))}>
      <svg
        width="13"
        height="13"
        viewBox="0 0 24 24"
        fill="none"
        stroke="currentColor"
        stroke-width="3.4"
        aria-hidden="true"
        ><circle cx="12" cy="12" r="9" stroke-dasharray={soon ? '51 57' : '35 57'} stroke-linecap="round" /></svg
      >
      {list[0].title}</a
    >
  {/if}
{/snippet}

<Wait of={looks} shape="rows">
  {#snippet children(all)}
    <!-- svelte-ignore a11y_no_noninteractive_element_interactions (keys walk among the links in it) -->
    <ul bind:this={box} onkeydown={key} class:flat={parent} aria-label={parent ? 'Projects' : 'Clients'}>
      {#each all as look (look.id)}
        <li
          class="row"
          class:chosen={gather.chosen.has(look.id)}
          class:over={over === look.id}
          data-id={look.id}
          oncontextmenu={(e) => ask(e, look.id)}
          ondragover={(e) => e.dataTransfer?.types.includes(ours) && (e.preventDefault(), (over = look.id))}
          ondragleave={() => (over = '')}
          ondrop={(e) => {
            over = '';
            if (!e.dataTransfer?.types.includes(ours)) return;
            e.preventDefault();
            e.stopPropagation();
            put(look.id);
          }}
        >
          <div class="what">
            <h2>
              <a class="place" href={address({ place: look.id })} onclick={(e) => press(e, look.id)}>{look.name}</a>
              {#if row(look.id)?.place?.at_hand_since}<span class="hand">at hand</span>{/if}
              <span class="choose"
                ><Tick
                  aria-label="Choose {look.name}"
                  bind:checked={() => gather.chosen.has(look.id), () => gather.choose(look.id, 'also')}
                /></span
              >
            </h2>
            <Editable
              label="What {look.name} is"
              value={look.about}
              placeholder="Say in a line what this is"
              save={(about) => describe(look.id, about)}
            />
          </div>
          <a class="strip" href={address({ place: look.id })} tabindex="-1" aria-hidden="true">
            {#each look.pictures as picture (picture.id)}<span><Face thing={picture} /></span>{/each}
          </a>
          <dl>
            <dt>lies there</dt>
            <dd class="figure">{look.things ? `${things(look.things)}, ${look.weight}` : 'nothing yet'}</dd>
            <dt>out</dt>
            <dd>
              {#if look.out[0]}
                <a
                  href="/packages/{look.out[0].id}"
                  class:late={look.out[0].state === 'closing'}
                  title={inFull(new Date(look.out[0].ends))}
                  >{look.out.length} out, {look.out.length > 1 ? 'the next ends' : 'it ends'}
                  {untilWhen(new Date(look.out[0].ends), clock.now)}</a
                >
              {:else}<span class="muted">nothing</span>{/if}
            </dd>
            <dt>last</dt>
            <dd>
              {#if look.last_at}{look.last},
                <time datetime={look.last_at} title={inFull(new Date(look.last_at))}
                  >{briefly(new Date(look.last_at), clock.now)}</time
                >{:else}<span class="muted">–</span>{/if}
            </dd>
          </dl>
          {#if look.inside.length}
            <ul class="inside" aria-label="In {look.name}">
              {#each look.inside as inner (inner.id)}
                <li>
                  <a class="place" href={address({ place: inner.id })}>{inner.name}</a>
                  <span class="muted about">{inner.about}</span>
                  <span class="figure muted">{inner.things ? things(inner.things) : 'empty'}</span>
                  <span class="figure muted">{inner.things ? inner.weight : ''}</span>
                  {@render out(inner.out)}
                </li>
              {/each}
            </ul>
          {/if}
        </li>
      {/each}
    </ul>
  {/snippet}
</Wait>

<style>
  .row {
    display: grid;
    grid-template-columns: minmax(0, 340px) 330px minmax(0, 1fr);
    gap: var(--s-3) var(--s-9);
    padding: var(--s-8) 0;
    border-bottom: 1px solid var(--line);
  }
  .row.chosen {
    background: var(--main-faint);
    box-shadow: inset 3px 0 0 var(--main);
    padding-left: var(--s-6);
    margin-left: calc(var(--s-6) * -1);
  }
  .row.over {
    outline: 2px dashed var(--late);
    outline-offset: -2px;
  }
  h2 {
    display: flex;
    align-items: baseline;
    gap: var(--s-5);
    line-height: 1.25;
    overflow-wrap: anywhere;
  }
  .place:hover {
    text-decoration: underline;
    text-underline-offset: 4px;
    text-decoration-thickness: 1.5px;
  }
  .hand {
    font: 500 var(--t-small) var(--font-sans);
    letter-spacing: 0;
    color: var(--main);
  }
  .choose {
    opacity: 0;
  }
  .row:is(:hover, :focus-within, .chosen) .choose {
    opacity: 1;
  }
  .strip {
    display: flex;
    gap: var(--s-1);
    height: 60px;
  }
  .strip span {
    width: 106px;
    height: 60px;
  }
  dl {
    display: grid;
    grid-template-columns: 82px minmax(0, 1fr);
    align-content: start;
    gap: 1px var(--s-4);
    font-size: var(--t-control);
  }
  dt {
    font-family: var(--font-mono);
    font-size: var(--t-tiny);
    line-height: 1.75;
    color: var(--muted);
  }
  dd {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    min-height: 24px;
  }
  dd a:hover {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .inside {
    grid-column: 1 / -1;
    margin-top: var(--s-2);
    padding-left: var(--s-9);
    border-left: 2px dotted var(--perforation);
  }
  .inside li {
    display: grid;
    grid-template-columns: 200px minmax(0, 1fr) 96px 84px minmax(0, 300px);
    gap: var(--s-7);
    align-items: center;
    min-height: 33px;
    font-size: var(--t-control);
  }
  .inside li + li {
    border-top: 1px solid var(--line);
  }
  .inside .place {
    font-weight: 600;
  }
  .inside .figure {
    text-align: right;
  }
  .about,
  .out,
  .inside .place {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .out {
    color: var(--main);
  }
  .out.late {
    color: var(--late);
  }
  .out svg {
    display: inline;
    vertical-align: -1px;
    margin-right: var(--s-2);
  }
  .out:hover {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  @media (--below-wide) {
    .row {
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    }
    .strip {
      justify-content: end;
      overflow: hidden;
    }
    dl {
      grid-column: 1 / -1;
    }
    .inside li {
      grid-template-columns: minmax(0, 1fr) 96px 84px;
    }
    .about,
    .inside .out {
      display: none;
    }
  }
  @media (--narrow) {
    .row {
      grid-template-columns: minmax(0, 1fr);
      padding: var(--s-7) 0;
    }
    .strip {
      justify-content: start;
    }
    .choose {
      opacity: 1;
      margin-left: auto;
    }
    .inside {
      padding-left: var(--s-6);
    }
    .inside li {
      grid-template-columns: minmax(0, 1fr) 84px;
      min-height: 40px;
    }
    .inside li .figure + .figure {
      display: none;
    }
  }
</style>
