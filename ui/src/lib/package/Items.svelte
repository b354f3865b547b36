<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type Item, type Package } from '$api/client';
  import Choose from '$lib/tray/Choose.svelte';
  import { uploads } from '$lib/uploads.svelte';
  import { formats } from '$lib/formats';
  import { span } from '$lib/time';
  import More from '$lib/ui/More.svelte';
  import Thumb from '$lib/ui/Thumb.svelte';
  import { Ticks } from './ticks.svelte';

  let {
    parcel = $bindable(),
    reload,
    more,
  }: { parcel: Package; reload: () => Promise<void>; more: () => Promise<void> } = $props();
  let problem = $state('');
  let files = $state<Choose>();
  const ticks = new Ticks(() => parcel);
  const mine = $derived(uploads.of(parcel.id).filter((u) => u.state !== 'done'));

  async function withdraw(id: string) {
    try {
      await need(api.DELETE('/api/v1/items/{id}', { params: { path: { id } } }));
    } catch (thrown) {
      problem = words(thrown);
    }
    await reload();
  }
</script>

{#if problem}<p class="problem" role="alert">{problem}</p>{/if}
<ul>
  {#each formats(parcel.items) as thing (thing.head.id)}
    {@render line(thing.head, false)}
    {#each thing.also as other (other.id)}{@render line(other, true)}{/each}
  {/each}
  {#each mine as upload (upload.id)}
    <li>
      <span class="name"
        ><strong>{upload.name}</strong><span class={upload.problem ? 'late' : 'muted'}
          >{upload.problem || 'on its way'}</span
        ></span
      >
      <span class="figure"
        >{upload.file.size ? Math.floor((upload.sent / upload.file.size) * 100) : 0} %{#if upload.rate}, {span(
            (upload.file.size - upload.sent) / upload.rate,
          )}{/if}</span
      >
    </li>
  {/each}
</ul>
{#if parcel.next}<More shown={parcel.items.length} count={parcel.count} {more} />{/if}
{#if parcel.state !== 'cleared'}
  <Button look="link" onclick={() => files?.open()}>Add files to this package</Button>
  <Choose bind:this={files} found={(some) => uploads.add({ parcel: parcel.id }, some)} />
{/if}

{#snippet line(item: Item, also: boolean)}
  <li class:also>
    <a href="/packages/{parcel.id}/room?item={item.id}" tabindex="-1" aria-hidden="true"><Thumb {item} /></a>
    <span class="name">
      <a href="/packages/{parcel.id}/room?item={item.id}"><strong>{item.name}</strong></a>
      <span class="muted">{also ? 'another format · ' : ''}{item.folder ? `${item.folder} · ` : ''}{item.about}</span>
      {#if item.tasks?.length}<span class="muted">{ticks.saying(item)}</span>{/if}
      {#if item.damage}<span class="wrong"
          >Damaged on the server: it cannot be downloaded. Upload the same file again to repair it.</span
        >{/if}
      {#if item.media_state === 'failed'}<span class="late"
          >No preview: {item.media_error}. The original is whole and can be taken.</span
        >{/if}
      {#if item.media_state === 'waiting' || item.media_state === 'working'}<span class="muted"
          >{item.media_error ? `The preview waits: ${item.media_error}. The` : 'Preview in work; the'} original can be taken
          already.</span
        >{/if}
    </span>
    <span class="figure muted">{item.weight}</span>
    <Button look="link" href="/api/v1/versions/{item.version}/original" download>Download</Button>
    {#if parcel.state !== 'cleared'}<button
        class="remove"
        onclick={() => withdraw(item.id)}
        aria-label="Withdraw {item.name}">Withdraw</button
      >{/if}
  </li>
{/snippet}

<style>
  li {
    display: flex;
    align-items: center;
    gap: var(--s-7);
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
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
  }
  .name strong {
    font-weight: 600;
  }
  .name a:hover {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .name .muted,
  .name .late {
    font-size: var(--t-small);
  }
  .remove {
    font-size: var(--t-control);
    color: var(--wrong);
    font-weight: 600;
    min-height: 26px;
  }
  .remove:hover {
    text-decoration: underline;
  }
  ul {
    margin-bottom: var(--s-6);
  }
  @media (--narrow) {
    li {
      flex-wrap: wrap;
      gap: var(--s-1) var(--s-6);
    }
    li.also {
      padding-left: var(--s-7);
    }
    .name {
      flex-basis: calc(100% - 100px);
    }
    .name + .figure {
      margin-left: auto;
    }
  }
</style>
