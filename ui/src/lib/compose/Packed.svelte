<!-- What is in the draft, and what is on its way into it. -->
<script lang="ts">
  import type { Item, Package } from '$api/client';
  import { formats } from '$lib/formats';
  import { span, weight } from '$lib/time';
  import More from '$lib/ui/More.svelte';
  import Thumb from '$lib/ui/Thumb.svelte';
  import { uploads, type Upload } from '$lib/uploads.svelte';

  let {
    parcel,
    mine,
    elsewhere,
    remove,
    choose,
    more,
  }: {
    parcel: Package;
    mine: Upload[];
    elsewhere: Package['uploads'];
    remove: (id: string) => void;
    choose: () => void;
    more: () => Promise<void>;
  } = $props();
</script>

<ul>
  {#each formats(parcel.items) as thing (thing.head.id)}
    {@render line(thing.head, false)}
    {#each thing.also as other (other.id)}{@render line(other, true)}{/each}
  {/each}
  {#each mine as upload (upload.id)}
    {@const share = upload.file.size ? upload.sent / upload.file.size : 0}
    <li class="arriving">
      <span class="arrow figure" aria-hidden="true">↑</span>
      <span class="name">
        <strong>{upload.name}</strong>
        <span
          class="progress"
          role="progressbar"
          aria-label="Upload of {upload.name}"
          aria-valuenow={Math.floor(share * 100)}
          aria-valuemin="0"
          aria-valuemax="100"
        >
          <span style:width="{share * 100}%"></span>
        </span>
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

{#snippet line(item: Item, also: boolean)}
  <li class:also>
    <Thumb {item} />
    <span class="name">
      <strong>{item.name}</strong>
      <span class="muted">{also ? 'another format · ' : ''}{item.folder ? `${item.folder} · ` : ''}{item.about}</span>
      {#if item.media_state === 'failed'}<span class="late">No preview: {item.media_error}. The original is whole.</span
        >{/if}
    </span>
    <span class="figure muted">{item.weight}</span>
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
  .progress {
    height: 4px;
    background: var(--empty);
    margin-top: var(--s-2);
  }
  .progress span {
    display: block;
    height: 100%;
    background: var(--main);
    transition: width 150ms;
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
