<!-- A preview in place: the thing large, its facts at the side, the arrow keys to the next. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import { api, need, Problem, words, type WholeThing } from '$api/client';
  import { untrack } from 'svelte';
  import Stage from './Stage.svelte';
  import Stub from './Stub.svelte';
  import { gather } from './gather.svelte';

  interface Props {
    id: string;
    go: (id: string) => void;
    close: () => void;
    /** counts up whenever something in Gather changed */
    changed: number;
  }
  let { id, go, close, changed }: Props = $props();

  let thing = $state<WholeThing | null>(null);
  let problem = $state('');
  let looking = $state('');
  let running = $state(false);
  let stage = $state<ReturnType<typeof Stage>>();

  // In the order in which the list shows them, which also goes by tag.
  const things = $derived(gather.rows.flatMap((r) => (r.thing ? [r.thing] : [])));
  const at = $derived(things.findIndex((t) => t.id === id));
  const before = $derived(things[at - 1]);
  const after = $derived(things[at + 1]);
  /** where to go when this one is deleted */
  let beside = '';
  $effect(() => {
    if (at < 0) return;
    beside = (after ?? before)?.id ?? '';
    untrack(() => gather.choose(id)); // the keys are about what is looked at
  });
  const version = $derived(thing?.all_versions.find((v) => v.version === looking && !v.current));

  async function load() {
    try {
      const asked = id;
      const answer = await need(api.GET('/api/v1/things/{id}', { params: { path: { id: asked } } }));
      if (asked !== id) return;
      thing = answer;
      problem = '';
    } catch (thrown) {
      const gone = thrown instanceof Problem && thrown.status === 404 && thing?.id === id;
      if (!gone) problem = words(thrown);
      else if (beside) go(beside);
      else close();
    }
  }
  $effect(() => {
    void id;
    looking = '';
    void untrack(load);
  });
  $effect(() => {
    if (changed) void untrack(load);
  });

  // What comes after the last of this page is there before one gets to it.
  $effect(() => {
    if (at >= 0 && at >= things.length - 3 && gather.next) void untrack(() => gather.page().catch(() => undefined));
  });

  /** The next that plays, in the running order. */
  function onward() {
    if (!running) return;
    const next = things.slice(at + 1).find((t) => t.what === 'film' || t.what === 'sound');
    if (next) go(next.id);
    else running = false;
  }
  // In a running order the next one starts by itself.
  $effect(() => {
    if (running && thing?.id === id && stage) untrack(() => setTimeout(() => stage?.play(), 150));
  });

  function press(event: KeyboardEvent) {
    const target = event.target as HTMLElement;
    if (event.ctrlKey || event.metaKey || event.altKey || target.closest('input, textarea, select, [role=dialog]'))
      return;
    if (event.key === 'Escape') close();
    else if (event.key === 'ArrowRight' && after) go(after.id);
    else if (event.key === 'ArrowLeft' && before) go(before.id);
    else if (target.closest('button, a') && (event.key === ' ' || event.key === 'Enter')) return;
    else if (!stage?.press(event.key, event.shiftKey)) return;
    event.preventDefault();
    event.stopImmediatePropagation();
  }
</script>

<svelte:window onkeydowncapture={press} />

<div class="look">
  <section class="show" aria-label="Preview">
    <p class="line">
      <Button look="link" onclick={close}>Back to the list</Button>
      {#if at >= 0}<span class="figure muted">{at + 1} of {things.length}{gather.next ? '+' : ''}</span>{/if}
      {#if thing && (thing.what === 'film' || thing.what === 'sound')}
        <Button look="link" aria-pressed={running} onclick={() => ((running = !running), running && stage?.play())}
          >{running ? 'Playing in order' : 'Play in order'}</Button
        >
      {/if}
      <span class="turn">
        <Button look="quiet" disabled={!before} onclick={() => before && go(before.id)}
          ><span aria-hidden="true">←</span> Before</Button
        >
        <Button look="quiet" disabled={!after} onclick={() => after && go(after.id)}
          >Next <span aria-hidden="true">→</span></Button
        >
      </span>
    </p>
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    {#if version}<p class="older">You look at version {version.number}, not the current one.</p>{/if}
    {#if thing}<Stage bind:this={stage} {thing} {version} ended={onward} />{/if}
  </section>
  {#if thing}<Stub {thing} reload={load} {looking} see={(v) => (looking = v)} />{/if}
</div>

<style>
  .look {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 340px;
    gap: var(--s-10);
    padding: var(--s-6) 0 var(--bar-room);
  }
  .line {
    display: flex;
    align-items: center;
    gap: var(--s-8);
    margin-bottom: var(--s-6);
  }
  .line > * {
    white-space: nowrap;
  }
  .turn {
    margin-left: auto;
    display: flex;
    gap: var(--s-3);
  }
  .older {
    padding: var(--s-2) var(--s-5);
    margin-bottom: var(--s-4);
    background: var(--late-faint);
    color: var(--late);
  }
  @media (--middle) {
    .look {
      grid-template-columns: minmax(0, 1fr);
    }
  }
  @media (--narrow) {
    .line {
      flex-wrap: wrap;
      gap: var(--s-3) var(--s-8);
    }
    .line .figure {
      margin-left: auto;
    }
  }
</style>
