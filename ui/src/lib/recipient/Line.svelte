<!-- A thing of the package: its name, its weight, its download, and its other formats. -->
<script lang="ts">
  import { count } from '$lib/count';
  import Button from '$lib/ui/Button.svelte';
  import type { GuestItem, Note } from '$api/client';
  import { suffix, type Thing } from '$lib/formats';
  import Thumb from '$lib/ui/Thumb.svelte';
  import type { Taking } from './taking.svelte';

  let {
    thing,
    archive,
    archiveName,
    notes,
    taking,
    large = false,
    show,
  }: {
    thing: Thing<GuestItem>;
    archive: string;
    archiveName: string;
    notes: Note[];
    taking: Taking;
    /** it stands below its own look */
    large?: boolean;
    /** missing where nothing may be seen */
    show?: (item: GuestItem) => void;
  } = $props();

  const item = $derived(thing.head);
  const together = $derived([item, ...thing.also]);

  // A link that is followed and a colour that is copied were taken: their bytes are fetched, and the ledger knows.
  const received = (item: GuestItem) =>
    void (
      item.take &&
      fetch(item.take).then(
        (answer) => answer.arrayBuffer(),
        () => undefined,
      )
    );
  let copied = $state('');
  async function copy(value: string) {
    try {
      await navigator.clipboard.writeText(value);
      copied = value;
      if (item.swatch) received(item);
    } catch {
      copied = ''; // the value stands beside it, to be marked by hand
    }
  }
  // On a phone single files go to its share sheet, where the browser has one and the file fits into its memory.
  const room = 250_000_000;
  const passable = (item: GuestItem) =>
    item.size <= room &&
    globalThis.matchMedia?.('(pointer: coarse)').matches &&
    Boolean(navigator.canShare?.({ files: [new File([], item.name, { type: item.mime })] }));
  /** what stands where a file has its weight */
  const measure = (item: GuestItem) =>
    item.what === 'link' ? host(item.data.url ?? '') : (item.swatch?.hex ?? item.weight);
  const host = (url: string) => (URL.canParse(url) ? new URL(url).host : '');
  function about(item: GuestItem) {
    const open = notes.filter((n) => n.item === item.id && !n.done).length;
    return [item.about, open ? count(open, 'open note') : ''].filter(Boolean).join(', ');
  }
</script>

<div class="line" class:large>
  {@render choice(item)}
  {#if !large}
    <button class="pick" onclick={() => show?.(item)} aria-label="Show {item.name}" disabled={!show}
      ><Thumb {item} /></button
    >
  {/if}
  <span class="name">
    {#if large}<strong>{item.title || item.name}</strong>{:else}<button
        class="open"
        onclick={() => show?.(item)}
        disabled={!show}><strong>{item.title || item.name}</strong></button
      >{/if}
    <span class="muted"
      >{item.folder ? `${item.folder} · ` : ''}{about(item)}<span class="narrow">, {measure(item)}</span></span
    >
  </span>
  <span class="figure muted weight">{measure(item)}</span>
  {@render take(item)}
</div>
{#if thing.also.length}
  <ul class="formats" class:large aria-label="Other formats of {item.title || item.name}">
    {#each thing.also as other (other.id)}
      <li class="line">
        {@render choice(other)}
        <span class="name">
          <button
            class="open"
            onclick={() => show?.(other)}
            disabled={!show}
            aria-label="also as {suffix(other)}: show {other.name}"
            ><span class="muted">also as</span> <strong>{suffix(other)}</strong></button
          >
          <span class="muted">{about(other)}<span class="narrow">, {other.weight}</span></span>
        </span>
        <span class="figure muted weight">{other.weight}</span>
        {@render take(other)}
      </li>
    {/each}
    {#if archive && !taking.choosing}
      <li class="together">
        <Button
          look="link"
          href="{archive}&only={together.map((i) => i.id).join(',')}"
          download={archiveName}
          onclick={() => taking.took(archiveName)}
          >{together.length === 2 ? 'Both' : `All ${together.length}`} formats as one ZIP</Button
        >
      </li>
    {/if}
  </ul>
{/if}

{#snippet choice(item: GuestItem)}
  {#if taking.choosing}{#await import('$lib/ui/Tick.svelte') then { default: Tick }}<Tick
        bind:checked={() => taking.chosen.includes(item.id), () => taking.toggle(item.id)}
        aria-label="Choose {item.name}"
      />{/await}{/if}
{/snippet}

{#snippet take(item: GuestItem)}
  {#if item.what === 'link' && item.data.url}
    <Button
      href={item.data.url}
      target="_blank"
      rel="noopener noreferrer"
      onclick={() => received(item)}
      aria-label="Open {item.name}">Open ↗</Button
    >
  {:else if item.swatch}
    <Button onclick={() => copy(item.swatch!.hex)} aria-label="Copy {item.swatch.hex}"
      >{copied === item.swatch.hex ? 'Copied' : 'Copy'}</Button
    >
  {:else if item.damage}
    <span class="part late">Damaged on the server. The sender can see this and upload it again.</span>
  {:else if item.take}
    <!-- It stays when the file has arrived: only then can it be passed on. -->
    {#if passable(item)}
      {#await import('./Pass.svelte') then { default: Pass }}<Pass {item} taken={() => taking.took('')} />{/await}
    {/if}
    {#if item.have === 'all'}
      <a
        class="have"
        href={item.take}
        download={item.name}
        onclick={() => taking.took(item.name)}
        title="Download it again">✓ you have it</a
      >
    {:else}
      {#if item.have_saying}<span class="part late">{item.have_saying}</span>{/if}
      <Button
        href={item.take}
        download={item.name}
        onclick={() => taking.took(item.name)}
        aria-label="Download {item.name}">Download</Button
      >
    {/if}
  {/if}
{/snippet}

<style>
  .line {
    display: flex;
    align-items: center;
    gap: var(--s-6);
    padding: var(--s-4) 0;
    border-bottom: 1px solid var(--line);
  }
  .name {
    flex: 1;
    min-width: 0;
  }
  .name > * {
    display: block;
    overflow-wrap: anywhere;
  }
  .name strong {
    font-weight: 600;
  }
  .name .muted {
    font-size: var(--t-small);
  }
  .open {
    text-align: left;
  }
  .open:hover:not(:disabled) {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .narrow {
    display: none;
  }
  .weight {
    white-space: nowrap;
  }
  .have {
    color: var(--main);
    font-size: var(--t-control);
    white-space: nowrap;
  }
  .have:hover {
    text-decoration: underline;
  }
  .part {
    font-size: var(--t-small);
  }
  .late {
    color: var(--late);
  }
  .formats {
    padding-left: calc(var(--thumb) + var(--s-6)); /* below the name */
    border-bottom: 1px solid var(--line);
  }
  .formats.large {
    padding-left: 0;
  }
  .formats .line {
    padding: var(--s-2) 0;
    border-bottom: 0;
  }
  .formats .line + .line {
    border-top: 1px solid var(--line);
  }
  .line:has(+ .formats) {
    border-bottom: 0;
  }
  .together {
    padding: var(--s-0) 0 var(--s-4);
    font-size: var(--t-small);
  }
  @media (--middle) {
    .line {
      flex-wrap: wrap;
      gap: var(--s-3) var(--s-5);
    }
    .line.large .name {
      flex-basis: 100%;
    }
    .line > :global(.button),
    .line .have {
      margin-left: auto;
    }
    .formats {
      padding-left: calc(var(--thumb) + var(--s-5));
    }
    .weight {
      display: none;
    }
    .narrow {
      display: inline;
    }
  }
</style>
