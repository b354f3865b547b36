<!-- One thing, large, without the program that made it. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import { api, need, type Item, type WholeThing, type Version } from '$api/client';
  import { fetched } from '$lib/fetched.svelte';
  import { playable } from '$lib/formats';
  import Player from '$lib/player/Player.svelte';
  import Sheet from '$lib/ui/Sheet.svelte';
  import SwatchCard from '$lib/ui/SwatchCard.svelte';
  import Tree from './Tree.svelte';

  interface Props {
    thing: WholeThing;
    /** an older version to look at instead of the current one */
    version?: Version | undefined;
    ended?: () => void;
  }
  let { thing, version, ended }: Props = $props();

  const what = $derived(version ?? thing);
  const has = (purpose: Item['made'][number]) => what.made.includes(purpose);
  const plays = $derived(playable(what) && has('proxy'));
  const item = $derived({ ...what, name: thing.name });
  let page = $state(1);
  let text = $state('');
  let player = $state<ReturnType<typeof Player>>();

  const look = $derived(what.look);
  $effect(() => {
    void look;
    page = 1;
    text = '';
  });
  fetched(
    () => (has('text') ? `${look}text` : ''),
    async (answer) => (text = await answer.text()),
  );

  export function press(key: string, shift: boolean): boolean {
    const acts: Record<string, () => void> = plays
      ? {
          ' ': () => player?.toggle(),
          k: () => player?.toggle(),
          j: () => player?.jump(-2),
          l: () => player?.shuttle(1),
          ',': () => player?.step(-1),
          '.': () => player?.step(1),
          f: () => player?.fullscreen(),
        }
      : { PageDown: () => (page = Math.min(what.pages, page + 1)), PageUp: () => (page = Math.max(1, page - 1)) };
    const act = acts[key.length === 1 && !shift ? key.toLowerCase() : key];
    act?.();
    return Boolean(act);
  }
  export function play() {
    player?.toggle();
  }

  const entries = (folder: string, after: number) =>
    need(
      api.GET('/api/v1/versions/{id}/entries', { params: { path: { id: what.version }, query: { folder, after } } }),
    );
</script>

<div class="stage" data-what={what.what}>
  {#key what.version}
    {#if thing.kind === 'swatch' && thing.swatch && !version}
      <SwatchCard swatch={thing.swatch} name={thing.name} />
    {:else if thing.kind === 'sheet' && !version}
      <Sheet html={thing.html} name={thing.name} />
    {:else if thing.kind === 'link' && !version}
      <a class="link-card" href={thing.data.url} target="_blank" rel="noopener noreferrer">
        {#if has('poster')}<img src="{what.look}poster" alt="" />{/if}
        <strong>{thing.name}</strong>
        <span class="figure">{thing.data.url} ↗</span>
      </a>
    {:else if plays}
      <Player bind:this={player} {item} ended={() => ended?.()} />
    {:else if what.pages}
      <img class="page" src="{what.look}page-{page}" alt="{thing.name}{what.pages > 1 ? `, page ${page}` : ''}" />
      {#if what.pages > 1}
        <p class="turn">
          <Button look="quiet" disabled={page < 2} onclick={() => page--}>Page before</Button>
          <span class="figure">{page} of {what.pages}</span>
          <Button look="quiet" disabled={page >= what.pages} onclick={() => page++}>Next page</Button>
        </p>
      {/if}
    {:else if has('text')}
      <!-- svelte-ignore a11y_no_noninteractive_tabindex (a text that scrolls must be reachable by key) -->
      <pre role="region" tabindex="0" aria-label="Text of {thing.name}">{text}</pre>
    {:else if what.what === 'archive'}
      <Tree load={entries} />
    {:else if what.media_state === 'waiting' || what.media_state === 'working'}
      <p class="hint">
        The preview is in work{version ? '' : `, ${Math.round(thing.media_share * 100)} %`}. The file itself can be sent
        and taken already.
      </p>
    {:else}
      <p class="hint">
        {#if what.media_state === 'failed'}No preview: {what.media_error}. The original is whole and can be sent.
        {:else if what.media_state === 'cancelled'}The preview was stopped by hand. The original is whole.
        {:else if thing.size === 0}This file is empty, 0 bytes.
        {:else}There is no preview of this kind of file. The original is whole and can be sent.{/if}
      </p>
    {/if}
  {/key}
</div>

<style>
  .stage {
    display: grid;
    align-content: start;
    min-height: 320px;
  }
  @media (--narrow) {
    .stage {
      min-height: 0;
    }
  }
  .page {
    display: block;
    max-width: 100%;
    max-height: calc(100vh - 240px);
    margin: 0 auto;
    background: var(--white);
    border: 1px solid var(--line);
  }
  .turn {
    display: flex;
    justify-content: center;
    align-items: center;
    gap: var(--s-7);
    margin-top: var(--s-5);
  }
  pre {
    width: 100%;
    max-height: calc(100vh - 240px);
    overflow: auto;
    padding: var(--s-8) var(--s-9);
    background: var(--surface);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    font-family: var(--font-mono);
    font-size: var(--t-small);
    line-height: 1.55;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  .hint {
    place-self: center;
    max-width: 46ch;
    padding: var(--s-13) 0;
    text-align: center;
    color: var(--muted);
  }
  .link-card {
    justify-self: center;
    display: flex;
    flex-direction: column;
    gap: var(--s-2);
    width: min(100%, 560px);
    padding: var(--s-7);
    background: var(--surface);
    border: 1px solid var(--line);
    border-radius: var(--radius);
  }
  .link-card:hover {
    border-color: var(--main);
  }
  .link-card img {
    width: 100%;
    border-radius: 2px;
  }
  .link-card strong {
    font-family: var(--font-display);
    font-size: var(--t-large);
  }
  .link-card .figure {
    color: var(--main);
    overflow-wrap: anywhere;
  }
</style>
