<!-- Where chosen things are packed: into a new package, or into a draft, found by its title where there are many. -->
<script lang="ts">
  import { untrack } from 'svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, type PackageRow } from '$api/client';
  import { Turns } from '$lib/turns';

  interface Props {
    open: boolean;
    /** what is packed, in words */
    what: string;
    /** packs into a package; '' for a new one */
    pack: (id: string) => void;
    /** does something that may fail, and says so if it does */
    attempt: (work: () => Promise<unknown>) => void;
  }
  let { open = $bindable(), what, pack, attempt }: Props = $props();
  const shownAtOnce = 12;
  let drafts = $state<PackageRow[]>([]);
  let many = $state(false);
  let find = $state('');
  const turns = new Turns();

  function look() {
    const mayShow = turns.take();
    attempt(async () => {
      const page = await need(
        api.GET('/api/v1/packages', { params: { query: { filter: 'drafts', find: find.trim() } } }),
      );
      if (!mayShow()) return;
      const all = page.packages.filter((p) => p.state === 'draft');
      drafts = all.slice(0, shownAtOnce);
      many ||= all.length > shownAtOnce || Boolean(page.next);
    });
  }
  $effect(() => {
    if (open)
      untrack(() => {
        find = '';
        look();
      });
  });
</script>

<Dialog bind:open title="Pack {what}" size="small">
  <p class="ink">Folders and formats go along. Packages give the current version, also when a newer one comes.</p>
  <Button look="main" onclick={() => pack('')}>Into a new package</Button>
  {#if many}
    <Field label="Or into a draft" placeholder="Words of its title" bind:value={find} oninput={look} maxlength={200} />
  {:else if drafts.length}
    <p class="label">Or into a draft</p>
  {/if}
  {#if drafts.length}
    <ul>
      {#each drafts as d (d.id)}
        <li><button class="draft" onclick={() => pack(d.id)}>{d.title}</button></li>
      {/each}
    </ul>
  {:else if many}
    <p class="hint">No draft has these words in its title.</p>
  {/if}
</Dialog>

<style>
  .draft {
    width: 100%;
    min-height: 38px;
    text-align: left;
    border-bottom: 1px solid var(--line);
    color: var(--ink);
  }
  .draft:hover {
    background: var(--main-faint);
  }
</style>
