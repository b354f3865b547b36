<!-- What is in the draft, and what is on its way into it. -->
<script lang="ts">
  import { api, need, type Item, type Package } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import { formats, headed, type Thing } from '$lib/formats';
  import { span, weight } from '$lib/time';
  import Editable from '$lib/ui/Editable.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Menu from '$lib/ui/Menu.svelte';
  import Progress from '$lib/ui/Progress.svelte';
  import More from '$lib/ui/More.svelte';
  import { Reorder } from '$lib/ui/reorder.svelte';
  import Thumb from '$lib/ui/Thumb.svelte';
  import { uploads, type Upload } from '$lib/uploads.svelte';

  let {
    parcel,
    mine,
    elsewhere,
    remove,
    choose,
    more,
    reload,
  }: {
    parcel: Package;
    mine: Upload[];
    elsewhere: Package['uploads'];
    remove: (id: string) => void;
    choose: () => void;
    more: () => Promise<void>;
    reload: () => Promise<void>;
  } = $props();

  const things = $derived(formats(parcel.items));
  const attempts = new Attempt(() => reload());
  const over = $derived(headed(parcel.items, things));
  /** the thing whose heading is being written for the first time */
  let heading = $state('');
  let written = $state('');

  const arrange = (thing: Thing<Item>, after: string) =>
    attempts.run(() =>
      need(
        api.PUT('/api/v1/packages/{id}/order', {
          params: { path: { id: parcel.id } },
          body: { moved: [thing.head.id, ...thing.also.map((i) => i.id)], after },
        }),
      ),
    );
  /** Moves a thing by so many places among those that are shown. */
  function move(at: number, by: number) {
    const to = Math.min(Math.max(at + by, 0), things.length - 1);
    const thing = things[at];
    if (!thing || to === at) return;
    void arrange(thing, to === 0 ? '' : things[to > at ? to : to - 1]!.head.id).then(() =>
      list?.querySelector<HTMLElement>(`[data-thing="${thing.head.id}"] button`)?.focus(),
    );
  }
  const head = (id: string, text: string) =>
    attempts.run(() =>
      need(api.PUT('/api/v1/items/{id}/heading', { params: { path: { id } }, body: { heading: text } })),
    );
  const acts = (thing: Thing<Item>, at: number) => [
    { name: 'Up', note: 'Alt ↑', off: at === 0, do: () => move(at, -1) },
    { name: 'Down', note: 'Alt ↓', off: at === things.length - 1, do: () => move(at, 1) },
    { name: 'To the beginning', off: at === 0, do: () => move(at, -things.length) },
    ...(thing.head.heading
      ? [{ name: 'Take its heading away', do: () => void head(thing.head.id, '') }]
      : [{ name: 'A heading above it', do: () => ((heading = thing.head.id), (written = '')) }]),
  ];
  let list = $state<HTMLElement>();
  const order = new Reorder((from, to) => move(from, to - from));
</script>

{#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
<ul bind:this={list}>
  {#each things as thing, at (thing.head.id)}
    {#if over.get(thing.head.id)}
      <li class="heading">
        <Editable
          value={over.get(thing.head.id) ?? ''}
          label="Heading"
          placeholder="Heading"
          max={120}
          save={(to) => head(thing.head.id, to)}
        />
      </li>
    {:else if heading === thing.head.id}
      <li class="heading">
        <Field
          aria-label="Heading above {thing.head.name}"
          placeholder="Heading"
          autofocus
          maxlength={120}
          bind:value={written}
          onkeydown={(e) => {
            if (e.key === 'Enter') e.currentTarget.blur();
            else if (e.key === 'Escape') heading = '';
          }}
          onleft={() => {
            if (heading && written.trim()) void head(heading, written.trim());
            heading = '';
          }}
        />
      </li>
    {/if}
    {@render line(thing.head, false, thing, at)}
    {#each thing.also as other (other.id)}{@render line(other, true)}{/each}
  {/each}
  {#each mine as upload (upload.id)}
    {@const share = upload.file.size ? upload.sent / upload.file.size : 0}
    <li class="arriving">
      <span class="arrow figure" aria-hidden="true">↑</span>
      <span class="name">
        <strong>{upload.name}</strong>
        <Progress done={share} label="Upload of {upload.name}" />
        {#if upload.problem}<span class={upload.state === 'failed' ? 'wrong' : 'late'} role="status"
            >{upload.problem}</span
          >{/if}
      </span>
      <span class="figure rate">
        {#if upload.state === 'queued'}waits
        {:else if upload.state === 'paused'}paused at {Math.floor(share * 100)} %
        {:else if upload.state === 'failed'}stopped
        {:else}{Math.floor(share * 100)} %{#if upload.rate}, {weight(upload.rate)}/s, {span(
              (upload.file.size - upload.sent) / upload.rate,
            )}{/if}{/if}
      </span>
      {#if upload.state === 'paused' || upload.state === 'failed'}
        <button class="remove" onclick={() => uploads.resume(upload.id)} aria-label="Go on with {upload.name}"
          >Go on</button
        >
      {:else}
        <button class="remove" onclick={() => uploads.pause(upload.id)} aria-label="Pause {upload.name}">Pause</button>
      {/if}
      <button class="remove" onclick={() => uploads.cancel(upload.id)} aria-label="Cancel {upload.name}">Cancel</button>
    </li>
  {/each}
  {#each elsewhere as upload (upload.id)}
    <li class="arriving">
      <span class="arrow figure" aria-hidden="true">↑</span>
      <span class="name">
        <strong>{upload.name}</strong>
        <span class="late"
          >Began before this page was loaded. Choose the same file again and it goes on where it stopped.</span
        >
      </span>
      <span class="figure muted">{weight(upload.size)}</span>
      <button class="remove" onclick={choose} aria-label="Choose again {upload.name}">Choose again</button>
    </li>
  {/each}
</ul>
{#if parcel.next}<More shown={parcel.items.length} count={parcel.count} {more} />{/if}

{#snippet line(item: Item, also: boolean, thing?: Thing<Item>, at = -1)}
  <li class:also class:target={thing && order.at(at)} data-thing={thing?.head.id} {...thing ? order.line(at) : {}}>
    <Thumb {item} />
    <span class="name">
      <strong>{item.name}</strong>
      <span class="muted">{also ? 'another format · ' : ''}{item.folder ? `${item.folder} · ` : ''}{item.about}</span>
      {#if item.damage}<span class="wrong"
          >Damaged on the server: it cannot be downloaded. Upload the same file again to repair it.</span
        >{/if}
      {#if item.media_state === 'failed'}<span class="late">No preview: {item.media_error}. The original is whole.</span
        >{/if}
    </span>
    <span class="figure muted">{item.weight}</span>
    {#if thing}
      <Menu name="More" label="More about {item.name}" look="link" side="bottom-end" acts={acts(thing, at)} />
    {/if}
    <button class="remove" onclick={() => remove(item.id)} aria-label="Take out {item.name}">Take out</button>
  </li>
{/snippet}

<style>
  li {
    display: flex;
    align-items: center;
    gap: var(--s-6);
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
    min-height: 58px;
  }
  li[draggable='true'] {
    cursor: grab;
  }
  .target {
    background: var(--main-faint);
  }
  .heading {
    min-height: 0;
    padding: var(--s-7) 0 var(--s-2);
    border-bottom-color: var(--ink);
  }
  .heading :global(button),
  .heading :global(.field) {
    font: 650 var(--t-lead) / 1.3 var(--font-display);
    color: var(--ink);
  }
  li :global(.link) {
    font-size: var(--t-small);
    font-weight: 500;
  }
  li.also {
    padding-left: var(--s-10);
  }
  .name {
    flex: 1;
    min-width: 0;
  }
  .name > * {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .name strong {
    font-weight: 600;
    white-space: nowrap;
  }
  .name .muted,
  .name .late,
  .name .wrong {
    font-size: var(--t-small);
  }
  .remove {
    font-size: var(--t-small);
    color: var(--muted);
    text-decoration: underline;
    text-underline-offset: 3px;
    min-height: 26px;
  }
  .remove:hover {
    color: var(--wrong);
  }
  .arrow {
    width: var(--thumb);
    text-align: center;
    color: var(--main);
  }
  .rate {
    color: var(--main);
    white-space: nowrap;
  }
  @media (--middle) {
    li {
      flex-wrap: wrap;
    }
  }
  @media (--narrow) {
    .arriving .arrow {
      width: auto;
    }
    .arriving .name {
      flex-basis: calc(100% - var(--s-10));
    }
    .arriving .rate {
      flex: 1;
    }
  }
</style>
