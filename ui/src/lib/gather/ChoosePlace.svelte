<!-- Chooses a place to move or copy things to, by going down the path. -->
<script lang="ts">
  import { untrack } from 'svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type Place } from '$api/client';
  import { gather } from './gather.svelte';

  interface Props {
    open: boolean;
    title: string;
    verb: string;
    /** whether a place can be chosen */
    takes?: (place: Place) => boolean;
    chosen: (place: Place) => Promise<void>;
  }
  let { open = $bindable(), title, verb, takes = () => true, chosen }: Props = $props();

  let path = $state<Place[]>([]);
  let places = $state<Place[]>([]);
  let name = $state('');
  let problem = $state('');
  const here = $derived(path.at(-1));

  // It begins where one is; what changes there meanwhile does not lead back to it.
  $effect(() => {
    if (open) untrack(() => void go(gather.path.slice()));
  });

  let asked = 0;
  async function go(to: Place[]) {
    const mine = ++asked;
    path = to;
    problem = '';
    try {
      const found = await need(
        api.GET('/api/v1/places', { params: { query: to.length ? { parent: to.at(-1)!.id } : {} } }),
      );
      if (mine === asked) places = found;
    } catch (thrown) {
      if (mine === asked) problem = words(thrown);
    }
  }
  async function make(event: SubmitEvent) {
    event.preventDefault();
    try {
      const made = await need(api.POST('/api/v1/places', { body: { ...(here && { parent: here.id }), name } }));
      name = '';
      await go([...path, made]);
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  async function take() {
    if (!here) return;
    try {
      await chosen(here);
      open = false;
    } catch (thrown) {
      problem = words(thrown);
    }
  }
</script>

<Dialog bind:open {title} size="small">
  <nav aria-label="Place to choose">
    <Button look="link" onclick={() => go([])}>Everything</Button>
    {#each path as p, i (p.id)}<span aria-hidden="true">/</span>
      <Button look="link" onclick={() => go(path.slice(0, i + 1))}>{p.name}</Button>{/each}
  </nav>
  <ul>
    {#each places as p (p.id)}
      <li>
        <button onclick={() => go([...path, p])}><span>{p.name}</span> <span class="muted">{p.kind}</span></button>
      </li>
    {:else}
      <li class="muted none">Nothing lies deeper here.</li>
    {/each}
  </ul>
  <form onsubmit={make}>
    <Field
      aria-label="Name of a new {here ? (here.kind === 'client' ? 'project' : 'folder') : 'client'}"
      placeholder="New {here ? (here.kind === 'client' ? 'project' : 'folder') : 'client'} here"
      bind:value={name}
    />
    <Button disabled={!name.trim()}>Make</Button>
  </form>
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  <p>
    <Button
      look="main"
      disabled={!here || !takes(here) || (here.id === gather.here?.id && verb.startsWith('Move'))}
      onclick={take}>{verb} {here ? here.name : '…'}</Button
    >
  </p>
</Dialog>

<style>
  nav {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-1) var(--s-3);
  }
  ul {
    max-height: 300px;
    overflow: auto;
    border-top: 1px solid var(--line);
  }
  li button {
    display: flex;
    justify-content: space-between;
    width: 100%;
    min-height: 40px;
    align-items: center;
    border-bottom: 1px solid var(--line);
    color: var(--ink);
    text-align: left;
    padding: 0 var(--s-2);
  }
  li button:hover {
    background: var(--main-faint);
  }
  .none {
    padding: var(--s-5) var(--s-2);
  }
  form {
    display: flex;
    gap: var(--s-4);
    margin: var(--s-4) 0;
  }
</style>
