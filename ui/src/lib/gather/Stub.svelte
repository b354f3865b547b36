<!-- What is known of one thing, like the stub of a waybill: its facts, versions, formats and tags. -->
<script lang="ts">
  import Area from '$lib/ui/Area.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Editable from '$lib/ui/Editable.svelte';
  import { api, need, type WholeThing } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import { onClock } from '$lib/time';
  import { undo } from '$lib/undo.svelte';
  import Choose from '$lib/tray/Choose.svelte';
  import { uploads } from '$lib/uploads.svelte';
  import EditData from './EditData.svelte';
  import Formats from './Formats.svelte';
  import Versions from './Versions.svelte';
  import { tag, tagsOf } from './acts';
  import { address } from './gather.svelte';

  interface Props {
    thing: WholeThing;
    reload: () => Promise<void>;
    /** the version that is looked at; empty for the current one */
    looking?: string;
    see?: (version: string) => void;
  }
  let { thing, reload, looking = '', see }: Props = $props();

  let name = $derived(thing.name);
  let tagged = $state('');
  let picture = $state<Choose>();
  let all = $state(false);

  const attempts = new Attempt(() => reload());
  const attempt = attempts.run;
  const rename = () => {
    if (!name.trim()) name = thing.name;
    if (name === thing.name) return;
    const before = thing.name;
    const to = (value: string) =>
      need(api.PATCH('/api/v1/things/{id}', { params: { path: { id: thing.id } }, body: { name: value } }));
    void attempt(async () => {
      await to(name);
      undo.did(`Renamed to ${name}.`, async () => {
        await to(before);
        await reload();
      });
    });
  };
  function addTag(event: SubmitEvent) {
    event.preventDefault();
    const list = tagsOf(tagged);
    tagged = '';
    if (list.length) void attempt(() => tag([thing], list, []));
  }
  const media = (stop: boolean) =>
    attempt(() =>
      need(api.POST('/api/v1/versions/{id}/media', { params: { path: { id: thing.version } }, body: { stop } })),
    );
  const facts = $derived(
    all ? thing.fact_lines : thing.fact_lines.filter((f) => f.label !== 'SHA-256' && f.label !== 'Type'),
  );
</script>

<aside class="stub" aria-label="About {thing.name}">
  <form onsubmit={(e) => (e.preventDefault(), rename())}>
    <Area
      class="name"
      rows={1}
      aria-label="Name"
      bind:value={name}
      onblur={rename}
      onkeydown={(e) => {
        if (e.key === 'Escape') name = thing.name;
        if (e.key !== 'Enter') return;
        e.preventDefault();
        rename();
      }}
    />
  </form>
  <Editable
    label="What it is"
    value={thing.about}
    placeholder="Say in a line what this is"
    save={(about) =>
      attempt(() => need(api.PATCH('/api/v1/things/{id}', { params: { path: { id: thing.id } }, body: { about } })))}
  />
  {#if thing.path.length}
    <p class="where">
      {#each thing.path as p, i (p.id)}<a href={address({ place: p.id })}>{p.name}</a>{i < thing.path.length - 1
          ? ' / '
          : ''}{/each}
    </p>
  {/if}
  {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}

  {#if thing.kind !== 'file'}
    <EditData {thing} {reload} />
  {/if}
  {#if thing.kind === 'link'}
    <Button look="quiet" onclick={() => picture?.open()}
      >{thing.made.includes('poster') ? 'Another picture' : 'Put a picture on it'}</Button
    >
    <Choose
      bind:this={picture}
      what="picture"
      found={(some) => uploads.add({ item: thing.id, picture: true }, some.slice(0, 1))}
    />
  {/if}

  <dl>
    {#each facts as fact, i (i)}
      <dt>{fact.label}</dt>
      <dd class="figure">{fact.value}</dd>
    {/each}
    <dt>Added</dt>
    <dd class="figure">{onClock(new Date(thing.added_at))}</dd>
  </dl>
  {#if thing.kind === 'file'}
    <Button look="link" onclick={() => (all = !all)}>{all ? 'Fewer facts' : 'Type and checksum'}</Button>
  {/if}
  {#if thing.damage}
    <p class="media">
      <span class="wrong">Damaged on the server: it cannot be downloaded. Upload the same file again to repair it.</span
      >
    </p>
  {/if}
  {#if thing.media_state === 'waiting' || thing.media_state === 'working'}
    <p class="media">
      {#if thing.media_error}<span class="late">The preview waits: {thing.media_error}.</span>
      {:else}<span>Preview in work, {Math.round(thing.media_share * 100)} %</span>{/if}
      <Button look="link" onclick={() => media(true)}>Stop it</Button>
    </p>
  {:else if thing.media_state === 'failed' || thing.media_state === 'cancelled'}
    <p class="media">
      <span class="late">No preview: {thing.media_error}</span>
      <Button look="link" onclick={() => media(false)}>Try again</Button>
    </p>
  {/if}

  <h3>Tags</h3>
  <p class="tags">
    {#each thing.tags as t (t)}
      <button class="tag" onclick={() => attempt(() => tag([thing], [], [t]))} aria-label="{t}, take this tag off"
        >{t} <span aria-hidden="true">×</span></button
      >
    {/each}
  </p>
  <form onsubmit={addTag}>
    <Field aria-label="Add tags" placeholder="Add tags, with commas between" bind:value={tagged} />
  </form>

  {#if thing.kind === 'file'}<Formats {thing} {attempt} />{/if}
  <Versions {thing} {attempt} {reload} {looking} {see} />
</aside>

<style>
  .stub {
    border-left: 2px dotted var(--perforation);
    padding-left: var(--s-9);
    font-size: var(--t-control);
    min-width: 0;
  }
  .stub :global(.name) {
    width: 100%;
    field-sizing: content;
    resize: none;
    background: none;
    border: 1px solid transparent;
    margin-left: calc(var(--s-2) * -1);
    padding: var(--s-0) var(--s-2);
    font-family: var(--font-display);
    font-weight: 650;
    font-size: var(--t-large);
    line-height: 1.25;
    overflow-wrap: anywhere;
  }
  .stub :global(.name:hover) {
    border-color: var(--line);
  }
  .where {
    color: var(--muted);
    margin-bottom: var(--s-4);
  }
  .where a:hover {
    color: var(--main);
  }
  dl {
    display: grid;
    grid-template-columns: 84px minmax(0, 1fr);
    gap: var(--s-0) var(--s-5);
    margin: var(--s-5) 0 var(--s-4);
    padding-top: var(--s-5);
    border-top: 1px solid var(--line);
  }
  dt {
    color: var(--muted);
  }
  dd {
    overflow-wrap: anywhere;
    line-height: 1.55;
  }
  .stub :global(h3) {
    margin: var(--s-8) 0 var(--s-2);
    padding-top: var(--s-6);
    border-top: 2px dotted var(--perforation);
    font-size: var(--t-base);
  }
  .tags {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-2);
    margin-bottom: var(--s-3);
  }
  .tag {
    padding: 1px var(--s-3);
    border: 1px solid var(--perforation);
    border-radius: 12px;
    min-height: 26px;
  }
  .tag:hover {
    background: var(--wrong-faint);
  }
  .stub :global(li) {
    padding: var(--s-2) 0;
    border-bottom: 1px solid var(--line);
  }
  .stub :global(.line) {
    display: flex;
    gap: var(--s-4);
    align-items: baseline;
    overflow-wrap: anywhere;
  }
  .stub :global(.acts) {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-0) var(--s-6);
  }
  .stub :global(:is(.acts, .offer, .media) .link) {
    display: inline-block;
    font-size: var(--t-small);
    line-height: 20px;
    margin: var(--s-0) 0;
  }
  .stub :global(:is(.offer, .media)) {
    padding: var(--s-3) var(--s-5);
    background: var(--late-faint);
    margin: var(--s-3) 0;
  }
  .media {
    display: flex;
    justify-content: space-between;
    gap: var(--s-5);
  }
  .stub > :global(:is(.button, .under)) {
    margin-top: var(--s-5);
  }
  @media (--middle) {
    .stub {
      border-left: 0;
      padding-left: 0;
      border-top: 2px dotted var(--perforation);
      padding-top: var(--s-7);
    }
  }
</style>
