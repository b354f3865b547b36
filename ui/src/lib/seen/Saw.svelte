<!--
  What people saw of one item: the filmstrip, under it how often each second played for all of them, and the same for
  each; of pages and stills, for how long they were in front. The curve is read by pointer and by arrow keys.
-->
<script lang="ts">
  import { api, need, type Item, type Schemas } from '$api/client';
  import { fetched } from '$lib/fetched.svelte';
  import { count } from '$lib/count';
  import { cells, cellAt, type Cell } from '$lib/player/filmstrip';
  import { Resource } from '$lib/resource.svelte';
  import { short } from '$lib/timecode';
  import Wait from '$lib/ui/Wait.svelte';
  import { drawn, times, top, under } from './curve';

  interface Props {
    item: Item;
    /** what each of them has of it besides, by their id: what they took */
    says: Record<string, string>;
    /** whoever was asked for stands first */
    first?: string;
  }
  let { item, says, first = '' }: Props = $props();

  const seen = new Resource<Schemas['SeenView']>(() =>
    need(api.GET('/api/v1/items/{id}/seen', { params: { path: { id: item.id } } })),
  );
  $effect(() => {
    if (item.id) void seen.load();
  });
  const of = $derived(seen.value);
  const curve = $derived(of?.curve ?? []);
  const highest = $derived(top(curve));
  const people = $derived(
    [...(of?.people ?? [])].sort((a, b) => Number(b.recipient === first) - Number(a.recipient === first)),
  );
  const looked = $derived(people.filter((p) => p.viewings).length);
  const seconds = $derived((of?.length_ms ?? 0) / 1000);
  const longest = $derived(Math.max(1, ...(of?.pages_ms ?? [])));

  const width = 1000;
  let at = $state(0);
  const part = $derived(curve[at]);
  const moment = $derived(curve.length ? short((at / curve.length) * seconds) : '');
  const words = $derived(part ? `${moment}, ${times(part.times)}, by ${part.people} of ${people.length}` : '');
  const place = (e: PointerEvent & { currentTarget: HTMLElement }) =>
    (at = under(curve, e.offsetX / e.currentTarget.clientWidth));

  let strip = $state.raw<Cell[]>([]);
  let room = $state(0);
  fetched(
    () => (item.made.includes('strip') ? `${item.look}strip-index` : ''),
    async (answer) => (strip = cells(await answer.text())),
  );
  // As many pictures as fit beside each other, each as wide as its share of the time.
  const pictures = $derived.by(() => {
    const wide = strip[0]?.width;
    if (!wide || !room) return [];
    const many = Math.max(1, Math.round(room / wide));
    return Array.from({ length: many }, (_, i) => cellAt(strip, ((i + 0.5) / many) * seconds)!);
  });
</script>

<div class="saw">
  <Wait of={seen} shape="page" />
  {#if of}
    {#if !looked}
      <p class="muted">Nobody has looked at it yet.</p>
    {:else if curve.length}
      <div class="all" bind:clientWidth={room}>
        {#if pictures.length}
          <div class="strip" aria-hidden="true">
            {#each pictures as cell, i (i)}
              <span
                style:aspect-ratio="{cell.width} / {cell.height}"
                style:background="url({item.look}strip) -{cell.x}px -{cell.y}px"
                style:height="{cell.height}px"
              ></span>
            {/each}
          </div>
        {/if}
        <div
          class="curve"
          role="slider"
          tabindex="0"
          aria-label="A moment of {item.name}"
          aria-valuemin="0"
          aria-valuemax={curve.length - 1}
          aria-valuenow={at}
          aria-valuetext={words}
          onpointermove={place}
          onpointerdown={place}
          onkeydown={(e) => {
            const by = { ArrowRight: 1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }[e.key];
            if (!by) return;
            e.preventDefault();
            at = Math.min(curve.length - 1, Math.max(0, at + by));
          }}
        >
          <svg viewBox="0 0 {width} 64" preserveAspectRatio="none" aria-hidden="true">
            <path d={drawn(curve, highest, width, 64)} />
          </svg>
          {#each of.lefts_ms as left, i (i)}
            <span
              class="left"
              style:left="{(left / of.length_ms) * 100}%"
              title="somebody left here, {short(left / 1000)}"
            ></span>
          {/each}
          <span class="at" style:left="{((at + 0.5) / curve.length) * 100}%"></span>
        </div>
        <p class="scale figure muted"><span>0:00</span><span>{short(seconds)}</span></p>
        <p class="figure read" aria-hidden="true">{words}</p>
      </div>
    {:else if of.pages_ms.length > 1}
      <ol class="pages" aria-label="Pages">
        {#each of.pages_ms as ms, i (i)}
          {@const long = ms >= 1000 ? short(Math.round(ms / 1000)) : 'not in front'}
          <li aria-label="page {i + 1}: {long}">
            <span class="figure muted">{i + 1}</span>
            <span class="bar"><i style:width="{(ms / longest) * 100}%"></i></span>
            <span class="figure muted">{long}</span>
          </li>
        {/each}
      </ol>
    {/if}
    <h3>{looked ? `${looked} of ${count(people.length, 'person', 'people')} looked` : 'On the waybill'}</h3>
    {#if people.some((p) => p.viewings && p.curve.length)}
      <p class="legend muted" aria-hidden="true">
        <span class="left here"></span> left here <span class="back here"></span> went back
      </p>
    {/if}
    <ul class="people" aria-label="Each of them">
      {#each people as p (p.recipient)}
        <li class:gone={p.removed} class:first={p.recipient === first}>
          <p>
            <strong>{p.name}</strong> <span class:muted={!p.viewings}>{p.saying}</span>
            {#if says[p.recipient]}<span class="muted took">{says[p.recipient]}</span>{/if}
          </p>
          {#if p.viewings && p.curve.length}
            <span class="own" aria-hidden="true">
              <svg viewBox="0 0 {width} 22" preserveAspectRatio="none"
                ><path d={drawn(p.curve, Math.max(2, top(p.curve)), width, 22)} /></svg
              >
              {#each p.backs.slice(0, 30) as back, i (i)}
                <span
                  class="back"
                  style:left="{(back.to / of.length_ms) * 100}%"
                  style:width="{((back.from - back.to) / of.length_ms) * 100}%"
                  title="went back from {short(back.from / 1000)} to {short(back.to / 1000)}"
                ></span>
              {/each}
              {#if p.left_at_ms != null}
                <span
                  class="left"
                  style:left="{(p.left_at_ms / of.length_ms) * 100}%"
                  title="left at {short(p.left_at_ms / 1000)}"
                ></span>
              {/if}
            </span>
          {/if}
        </li>
      {/each}
    </ul>
    <p class="muted honest">
      Counted while it was in front on their screen; a tab in the background does not count. Whether somebody watched,
      no screen can tell.
    </p>
  {/if}
</div>

<style>
  .saw {
    padding: var(--s-6) var(--s-8) var(--s-8);
  }
  .legend {
    font-size: var(--t-small);
    margin-bottom: var(--s-3);
  }
  .here.left,
  .here.back {
    display: inline-block;
    position: static;
    translate: 0;
    margin-right: var(--s-1);
  }
  .here.back {
    width: 22px;
    margin-left: var(--s-5);
  }
  .strip {
    display: flex;
    overflow: hidden;
    gap: 1px;
  }
  .strip span {
    flex: 1 0 0;
    min-width: 0;
    aspect-ratio: auto;
  }
  .curve {
    position: relative;
    cursor: crosshair;
    touch-action: pan-y;
    border-bottom: 1px solid var(--ink);
    margin-top: var(--s-2);
  }
  svg {
    display: block;
    width: 100%;
    height: 64px;
    pointer-events: none;
  }
  path {
    fill: var(--seen);
  }
  .at {
    position: absolute;
    inset-block: 0;
    width: 1.6px;
    background: var(--ink);
    pointer-events: none;
  }
  .left {
    position: absolute;
    bottom: -7px;
    width: 0;
    height: 0;
    translate: -5px 0;
    border: 5px solid transparent;
    border-top: 0;
    border-bottom: 7px solid var(--late);
  }
  .scale {
    display: flex;
    justify-content: space-between;
    font-size: var(--t-tiny);
    padding-top: var(--s-3);
  }
  .read {
    min-height: 24px;
  }
  h3 {
    margin: var(--s-7) 0 var(--s-2);
  }
  .people {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  .people li {
    padding: var(--s-4) 0;
    border-top: 1px solid var(--line);
  }
  .people p {
    overflow-wrap: anywhere;
  }
  .took {
    display: block;
    font-size: var(--t-small);
  }
  .first strong {
    border-bottom: 2px solid var(--main);
  }
  .gone {
    opacity: 0.72;
  }
  .own {
    display: block;
    position: relative;
    margin-top: var(--s-5);
    border-bottom: 1px solid var(--line);
  }
  .own svg {
    height: 22px;
  }
  .back {
    position: absolute;
    bottom: 100%;
    height: 6px;
    border: 1.4px solid var(--muted);
    border-bottom: 0;
    border-radius: 6px 6px 0 0;
    min-width: 6px;
  }
  .pages {
    list-style: none;
    margin: 0;
    padding: 0;
    display: grid;
    gap: var(--s-1);
  }
  .pages li {
    display: grid;
    grid-template-columns: 3ch 1fr 12ch;
    align-items: center;
    gap: var(--s-4);
  }
  .bar {
    height: 10px;
    background: var(--empty);
  }
  .bar i {
    display: block;
    height: 100%;
    background: var(--seen);
  }
  .honest {
    font-size: var(--t-small);
    padding: var(--s-6) 0;
  }
</style>
