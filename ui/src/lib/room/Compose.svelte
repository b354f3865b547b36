<!-- Where a note is written, said or drawn: at this frame, over a span, on a spot. -->
<script lang="ts">
  import { words, type Anchor, type RoomData } from '$api/client';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import type { Transport } from '$lib/player/transport.svelte';
  import { untrack } from 'svelte';
  import Attached from './Attached.svelte';
  import { Attaching } from './attaching.svelte';
  import { keepDraft, keptDraft } from './review.svelte';
  import type { Seat } from './seat';
  import { colourNames, colours, nowhere, tools, type Tool } from './strokes';
  import Voice from './Voice.svelte';

  interface Props {
    seat: Seat;
    room: RoomData;
    /** null where nothing plays */
    transport: Transport | null;
    /** the page of a document; 0 for what has none */
    page: number;
    label: (micros: number) => string;
    anchor: Anchor;
    tool: Tool | 'place' | '';
    colour: number;
    /** a note is there */
    made: (id: string) => void;
  }
  let {
    seat,
    room,
    transport,
    page,
    label,
    anchor = $bindable(),
    tool = $bindable(),
    colour = $bindable(),
    made,
  }: Props = $props();

  const item = untrack(() => room.item.id);
  const kept = untrack(() => keptDraft(item));
  let text = $state(kept?.text ?? '');
  let hidden = $state(kept?.private ?? false);
  const attaching = untrack(() => new Attaching(seat, item, kept?.attached));
  let sending = $state(false);
  let problem = $state('');
  let box = $state<HTMLInputElement>();
  let attached = $state<ReturnType<typeof Attached>>();
  let names = $state(-1);
  const stops = 'aftergust.room.pauses';
  let pauses = $state(untrack(() => globalThis.localStorage?.getItem(stops) !== 'no'));
  if (kept) untrack(() => (anchor = kept.anchor));

  const seen = $derived(Boolean(room.item.facts.width || room.item.pages || room.item.what === 'still'));
  const begun = $derived(Boolean(text.trim() || attaching.all.length || anchor.strokes?.length));
  // What somebody began survives a closed tab.
  $effect(() => keepDraft(item, { text, anchor, private: hidden, attached: attaching.all }));

  /** The place of a note that is begun now: this frame, or from in to out where they are set. */
  function where(): Anchor {
    const { strokes, where, x, y, w, h } = anchor;
    const on = {
      ...(strokes && { strokes }),
      ...(where && { where, x: x ?? 0, y: y ?? 0 }),
      ...(w && { w, h: h ?? 0 }),
    };
    const paged = page ? { page, ...(where ? {} : { where: 'page' as const }) } : {};
    if (!transport) return { ...on, ...paged };
    const { from, to } = transport;
    if (from !== null && to !== null) return { when: 'span', at_us: from, until_us: to, ...on };
    return { when: 'moment', at_us: transport.place, ...on };
  }
  export function begin() {
    if (pauses) transport?.pause();
    if (!text.trim() && !attaching.all.length) anchor = where();
  }
  export function focus() {
    begin();
    box?.focus();
  }
  export function speak() {
    begin();
    attaching.recording = true;
  }
  export function sketch() {
    begin();
    tool = tool ? '' : 'pen';
  }
  export function span() {
    if (!transport) return;
    transport.mark(transport.from === null ? 'from' : 'to');
    anchor = where();
  }
  const here = () => (anchor = where());
  function clear() {
    text = '';
    attaching.clear();
    anchor = {};
    tool = '';
    hidden = false;
    names = -1;
    transport?.unmark();
  }

  async function send(event: SubmitEvent) {
    event.preventDefault();
    if (!begun || sending || attaching.busy) return;
    if (transport ? !anchor.when : page && !anchor.where) anchor = where();
    sending = true;
    problem = '';
    try {
      const note = await seat.write(item, {
        anchor,
        text,
        private: hidden,
        attached: attaching.ids,
        version: room.item.version,
      });
      clear();
      box?.blur();
      made(note.id);
    } catch (thrown) {
      problem = words(thrown);
    }
    sending = false;
  }
  export const take = (files: FileList | undefined | null) => attaching.take(files);

  // Who can be meant by an @ that is being written.
  const meant = $derived(/(?:^|\s)@([^\s@]{0,30})$/.exec(text)?.[1]?.toLowerCase());
  const offered = $derived(
    meant === undefined ? [] : room.people.filter((p) => !p.me && p.name.toLowerCase().startsWith(meant)).slice(0, 5),
  );
  const name = (who: string) => {
    text = text.replace(/@[^\s@]*$/, `@${who} `);
    names = -1;
    box?.focus();
  };
  function key(event: KeyboardEvent) {
    if (offered.length && (event.key === 'ArrowDown' || event.key === 'ArrowUp')) {
      event.preventDefault();
      names = (names + (event.key === 'ArrowDown' ? 1 : -1) + offered.length + 1) % (offered.length + 1);
      if (names === offered.length) names = -1;
    } else if (offered[names] && (event.key === 'Enter' || event.key === 'Tab')) {
      event.preventDefault();
      name(offered[names]!.name);
    }
  }
  const undo = () => (anchor = { ...anchor, strokes: (anchor.strokes ?? []).slice(0, -1) });
  const spot = $derived(anchor.where === 'spot' || anchor.where === 'area');
</script>

<div class="compose">
  <Attached bind:this={attached} {attaching} {seat} label="Picture to attach" />
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if offered.length}
    <ul class="names" aria-label="Who is meant">
      {#each offered as p, i (p.id)}
        <li>
          <button class:chosen={i === names} onclick={() => name(p.name)}>{p.name}{p.studio ? ', studio' : ''}</button>
        </li>
      {/each}
    </ul>
  {/if}
  {#if attaching.recording}
    <Voice made={(voice) => void attaching.attach('voice', voice)} left={() => (attaching.recording = false)} />
  {:else}
    <form onsubmit={(e) => void send(e)}>
      {#if anchor.when}
        <button type="button" class="figure at" title="Take this place instead" onclick={here}
          >{label(anchor.at_us ?? 0)}{anchor.when === 'span' ? ` – ${label(anchor.until_us ?? 0)}` : ''}</button
        >
      {/if}
      {#if spot}<button type="button" class="what" title="Not on a spot" onclick={() => (anchor = nowhere(anchor))}
          >{anchor.where} ×</button
        >{/if}
      {#if anchor.strokes?.length}<span class="what">sketch</span>{/if}
      <Field
        bind:box
        bind:value={text}
        aria-label={transport ? `Note at this ${transport.line ? 'frame' : 'moment'}` : 'Note'}
        placeholder={transport
          ? `Say what should change at this ${transport.line ? 'frame' : 'moment'}`
          : 'Say what should change'}
        onfocus={begin}
        onkeydown={key}
        onpaste={(e) => take(e.clipboardData?.files) && e.preventDefault()}
      />
      {#if tool}
        <div class="tools" role="toolbar" aria-label="Sketch">
          {#each tools as one (one.name)}
            <button type="button" aria-pressed={tool === one.name} onclick={() => (tool = one.name)}>{one.word}</button>
          {/each}
          <button type="button" aria-pressed={tool === 'place'} onclick={() => (tool = 'place')}>Spot</button>
          <span class="colours">
            {#each colours as c, i (c)}
              <button
                type="button"
                class="colour"
                style:background="var({c})"
                aria-pressed={colour === i}
                aria-label="{colourNames[i]} colour"
                onclick={() => (colour = i)}
              ></button>
            {/each}
          </span>
          <button type="button" disabled={!anchor.strokes?.length} onclick={undo}>Undo stroke</button>
          <button type="button" onclick={() => (tool = '')}>Finished drawing</button>
        </div>
      {:else}
        <span class="more">
          {#if seen}<button type="button" aria-pressed={tool !== ''} onclick={sketch}>Sketch</button>{/if}
          <button type="button" onclick={speak}>Voice</button>
          {#if transport}<button type="button" aria-pressed={anchor.when === 'span'} onclick={span}
              >{transport.from === null ? 'Span' : transport.to === null ? 'To here' : 'Span'}</button
            >{/if}
          <button type="button" onclick={() => attached?.choose()}>Picture</button>
          {#if room.studio}<button type="button" aria-pressed={hidden} onclick={() => (hidden = !hidden)}
              >Only us</button
            >{/if}
          {#if transport}<button
              type="button"
              class="wide"
              aria-pressed={pauses}
              title="The player stops when you write"
              onclick={() => {
                pauses = !pauses;
                localStorage.setItem(stops, pauses ? 'yes' : 'no');
              }}>Pauses</button
            >{/if}
        </span>
      {/if}
      <Button look="main" disabled={sending || attaching.busy !== ''}>Note <kbd class="key">M</kbd></Button>
    </form>
  {/if}
</div>

<style>
  .compose {
    position: relative;
    margin-top: var(--s-4);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    background: var(--surface);
  }
  form {
    display: flex;
    align-items: center;
    gap: var(--s-3);
    padding: var(--s-2);
  }
  form :global(.field) {
    border-color: transparent;
    background: none;
    min-width: 0;
  }
  .compose :global(form > .button) {
    background: var(--late);
    border-color: var(--late);
    color: var(--on-main);
    white-space: nowrap;
  }
  .at {
    color: var(--late);
    white-space: nowrap;
    padding: 0 var(--s-2);
    font-size: var(--t-control);
  }
  .what {
    border: 1px solid var(--late);
    border-radius: var(--radius);
    color: var(--late);
    padding: 0 var(--s-2);
    font-size: var(--t-small);
    white-space: nowrap;
    min-height: 24px;
  }
  .more {
    display: flex;
    gap: var(--s-1);
  }
  .more button,
  .tools button {
    min-height: 30px;
    padding: 0 var(--s-2);
    color: var(--muted);
    font-size: var(--t-small);
    white-space: nowrap;
  }
  .more button:hover,
  .tools button:hover:not(:disabled) {
    color: var(--ink);
  }
  .more [aria-pressed='true'],
  .tools [aria-pressed='true']:not(.colour) {
    color: var(--late);
    text-decoration: underline;
    text-underline-offset: 4px;
  }
  .tools {
    display: flex;
    align-items: center;
    gap: var(--s-2) var(--s-3);
    flex: none;
  }
  .tools button:disabled {
    opacity: 0.5;
  }
  .colours {
    display: flex;
    gap: var(--s-3);
    padding: 0 var(--s-4);
  }
  .tools .colour {
    width: 24px;
    height: 24px;
    min-height: 24px;
    padding: 0;
    border: 2px solid var(--edge);
    border-radius: 50%;
  }
  .colour[aria-pressed='true'] {
    outline: 2px solid var(--late);
    outline-offset: 2px;
  }
  .problem {
    padding: var(--s-3) var(--s-4) 0;
  }
  .names {
    position: absolute;
    bottom: 100%;
    left: var(--s-7);
    z-index: 3;
    list-style: none;
    margin: 0 0 var(--s-1);
    padding: var(--s-2);
    border: 1px solid var(--edge);
    border-radius: var(--radius);
    background: var(--surface);
    box-shadow: var(--float);
  }
  .names button {
    display: block;
    width: 100%;
    text-align: left;
    padding: var(--s-1) var(--s-4);
  }
  .names .chosen,
  .names button:hover {
    background: var(--empty);
  }
  @media (--middle) {
    form {
      flex-wrap: wrap;
    }
    form :global(.field) {
      flex-basis: 100%;
      order: -1;
      min-height: 44px;
    }
    .at {
      order: -2;
    }
    .more,
    .tools {
      flex-wrap: wrap;
      flex: 1;
    }
    .more button,
    .tools button {
      min-height: 40px;
    }
    .wide {
      display: none;
    }
    .compose :global(form > .button) {
      min-height: 44px;
      min-width: 88px;
    }
  }
</style>
