<!-- Finished work, for whoever has the link, also within another page. -->
<script lang="ts">
  import '$lib/fonts.light';
  import { page } from '$app/state';
  import { api, need, Problem, type Schemas } from '$api/client';
  import { dress } from '$lib/recipient/dressed';
  import Letterhead from '$lib/recipient/Letterhead.svelte';
  import { Resource } from '$lib/resource.svelte';
  import Shown from '$lib/showing/Shown.svelte';
  import Frame from '$lib/ui/Frame.svelte';
  import Wait from '$lib/ui/Wait.svelte';
  import { untrack } from 'svelte';

  const link = $derived(page.params.link ?? '');
  const path = $derived({ params: { path: { link } } });
  /** it stands within a page of another site, which has a head of its own */
  const framed = self !== top && !location.search.includes('whole');
  let shut = $state('');
  const shown = new Resource<Schemas['PageView']>(async () => {
    try {
      const found = await need(api.GET('/api/v1/s/{link}', path));
      shut = '';
      return found;
    } catch (thrown) {
      if (thrown instanceof Problem && (thrown.status === 404 || thrown.status === 410)) shut = thrown.message;
      throw thrown;
    }
  });
  $effect(() => {
    if (link)
      untrack(async () => {
        await shown.load();
        if (shown.value?.open) void api.POST('/api/v1/s/{link}/opened', path);
      });
  });
  $effect(() => dress(document.documentElement, shown.value?.head));
</script>

<svelte:head
  ><title>{shown.value ? `${shown.value.title} · ${shown.value.studio}` : 'Finished work'}</title></svelte:head
>

{#if shut}
  <Frame>
    <h1>Nothing is shown here</h1>
    <p class="say">{shut}</p>
    {#snippet beside()}
      <dl>
        <dt>the link</dt>
        <dd>It is the part after /s/. Mail programs sometimes cut long links in two.</dd>
        <dt>what to do</dt>
        <dd>Ask whoever gave it to you whether the page is still shown.</dd>
        <dt>recorded</dt>
        <dd>nothing</dd>
      </dl>
    {/snippet}
  </Frame>
{:else}
  <Wait of={shown} shape="page">
    {#snippet children(it)}
      {#if !framed}<Letterhead studio={it.studio} head={it.own ? it.head : undefined} />{/if}
      {#if !it.open}<p class="preview">Only your studio sees this page as yet.</p>{/if}
      <Shown page={it} {framed} />
      <footer>
        {#if framed}<a href={location.href} target="_blank" rel="noopener">{it.title}, by {it.studio} ↗</a>
        {:else}{it.head.sign_off || it.studio}{/if}
      </footer>
    {/snippet}
  </Wait>
{/if}

<style>
  .preview {
    background: var(--ink);
    color: var(--ground);
    padding: var(--s-2) var(--page);
    font-size: var(--t-small);
  }
  footer {
    border-top: 1px solid var(--line);
    margin: 0 var(--page);
    padding: var(--s-6) 0 var(--s-9);
    color: var(--muted);
    font-size: var(--t-small);
  }
</style>
