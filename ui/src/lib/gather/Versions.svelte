<!-- The versions of one thing: looked at, taken, labelled, made current, deleted and taken back. -->
<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Badge from '$lib/ui/Badge.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, type Version, type WholeThing } from '$api/client';
  import type { Attempt } from '$lib/attempt.svelte';
  import { onClock } from '$lib/time';
  import { undo } from '$lib/undo.svelte';
  import Choose from '$lib/tray/Choose.svelte';
  import { uploads } from '$lib/uploads.svelte';

  interface Props {
    thing: WholeThing;
    attempt: Attempt['run'];
    reload: () => Promise<void>;
    /** the version that is looked at; empty for the current one */
    looking: string;
    see?: ((version: string) => void) | undefined;
  }
  let { thing, attempt, reload, looking, see }: Props = $props();

  let labelling = $state('');
  let label = $state('');
  let picker = $state<Choose>();

  const current = (v: Version) =>
    attempt(async () => {
      const before = thing.version;
      const set = (id: string) => need(api.PUT('/api/v1/versions/{id}/current', { params: { path: { id } } }));
      await set(v.version);
      undo.did(`Version ${v.number} is the current one; packages give it from now on.`, async () => {
        await set(before);
        await reload();
      });
    });
  const drop = (v: Version) =>
    attempt(async () => {
      await need(api.DELETE('/api/v1/versions/{id}', { params: { path: { id: v.version } } }));
      undo.did(`Version ${v.number} is deleted; it can be taken back for 30 days.`, async () => {
        await need(api.POST('/api/v1/versions/{id}/restore', { params: { path: { id: v.version } } }));
        await reload();
      });
    });
  const restore = (v: Version) =>
    attempt(() => need(api.POST('/api/v1/versions/{id}/restore', { params: { path: { id: v.version } } })));
  function write(event: SubmitEvent, v: Version) {
    event.preventDefault();
    labelling = '';
    void attempt(() =>
      need(api.PATCH('/api/v1/versions/{id}', { params: { path: { id: v.version } }, body: { label } })),
    );
  }
</script>

<h3>Versions</h3>
<ul>
  {#each thing.all_versions as v (v.version)}
    <li class:gone={v.deleted_at}>
      <span class="line">
        <strong class="figure">v{v.number}</strong>
        {#if v.current}<Badge tone="main">current</Badge>{/if}
        <span class="muted">{v.label || v.name}</span>
      </span>
      <span class="figure muted">{v.weight} · {onClock(new Date(v.added_at))}{v.who ? ` · ${v.who}` : ''}</span>
      {#if labelling === v.version}
        <form onsubmit={(e) => write(e, v)}>
          <Field aria-label="Label of version {v.number}" bind:value={label} autofocus maxlength={80} />
        </form>
      {:else if v.deleted_at}
        <span class="acts"><Button look="link" onclick={() => restore(v)}>Take back</Button></span>
      {:else}
        <span class="acts">
          {#if see}<Button
              look="link"
              onclick={() => see(v.current ? '' : v.version)}
              aria-pressed={looking === v.version || (v.current && !looking)}
              aria-label="Look at version {v.number}">Look</Button
            >{/if}
          <Button look="link" href="{v.look}original" download aria-label="Take version {v.number}">Take</Button>
          <Button
            look="link"
            onclick={() => ((labelling = v.version), (label = v.label))}
            aria-label="Label version {v.number}">Label</Button
          >
          {#if !v.current}<Button look="link" onclick={() => current(v)} aria-label="Make current, version {v.number}"
              >Make current</Button
            >{/if}
          {#if thing.versions > 1}<Button look="link" onclick={() => drop(v)} aria-label="Delete version {v.number}"
              >Delete</Button
            >{/if}
        </span>
      {/if}
    </li>
  {/each}
</ul>
{#if thing.kind === 'file'}
  <Button look="quiet" class="under" onclick={() => picker?.open()}>Add the next version</Button>
  <Choose bind:this={picker} what="file" as="version" found={(some) => uploads.add({ item: thing.id }, some)} />
{/if}

<style>
  .gone .line {
    text-decoration: line-through;
  }
</style>
