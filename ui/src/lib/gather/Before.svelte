<!--
  Before an upload starts: what each file is, what it shall be called and tagged, what it seems to be beside
  what is there already, and what looks wrong. Nothing is forced.
-->
<script lang="ts">
  import { Modal } from 'flowbite-svelte';
  import { api, need, words, type Offer, type Place } from '$api/client';
  import { weight } from '$lib/time';
  import type { Found } from '$lib/found';
  import { uploads } from '$lib/uploads.svelte';
  import { gather, type Row } from './gather.svelte';
  import { kindOf, trouble } from './before';

  interface Line extends Found {
    key: number;
    named: string;
    as: 'new' | 'version' | 'rendition' | 'picture' | 'out';
    offer?: Offer | undefined;
  }
  let lines = $state<Line[]>([]);
  /** where they go; undefined where one goes to a thing */
  let to = $state.raw<Place>();
  let onto = $state.raw<Row['thing']>();
  const title = $derived(`Add to ${(to ?? onto)?.name ?? ''}`);

  let folders = $state.raw<string[]>([]);
  let open = $state(false);
  let tags = $state('');
  let problem = $state('');
  let free = $state(Infinity);
  const most = 400;

  const going = $derived(lines.filter((l) => l.as !== 'out'));
  const total = $derived(going.reduce((sum, l) => sum + l.file.size, 0));
  const fits = $derived(total <= free);
  const same = $derived(lines.filter((l) => l.offer?.kind === 'same').length);
  const counts = $derived.by(() => {
    const out: Record<string, number> = {};
    for (const l of going) out[kindOf(l.file.name, l.file.type)] = (out[kindOf(l.file.name, l.file.type)] ?? 0) + 1;
    return Object.entries(out);
  });

  /** Asks about files that were dropped or chosen: into the place on screen, or onto a row of it. */
  export async function ask(found: Found[], empty: string[] = [], row?: Row) {
    onto = row?.thing;
    to = onto ? undefined : (row?.place ?? gather.here);
    if (!(to ?? onto) || (!found.length && !empty.length)) return;
    folders = empty;
    problem = '';
    tags = '';
    lines = found.map((f, key) => ({ ...f, key, named: f.file.name, as: 'new' }));
    if (onto && lines[0]) {
      lines[0].as = onto.kind === 'link' ? 'picture' : 'version';
      lines[0].offer = { index: 0, item: onto.id, beside: onto.name, kind: 'version' };
    }
    open = true;
    try {
      const storage = await need(api.GET('/api/v1/storage', {}));
      free = storage.quota - storage.used;
      if (!to) return;
      const offers = await need(
        api.POST('/api/v1/places/{id}/offers', {
          params: { path: { id: to.id } },
          body: {
            files: found.map((f) => ({ name: f.file.name, size: f.file.size, ...(f.folder && { folder: f.folder }) })),
          },
        }),
      );
      for (const o of offers) {
        const line = lines[o.index];
        if (!line) continue;
        line.offer = o;
        if (o.kind === 'same') line.as = 'out';
      }
    } catch (thrown) {
      problem = words(thrown);
    }
  }

  async function start() {
    const common = tags
      .split(',')
      .map((t) => t.trim())
      .filter(Boolean);
    try {
      if (folders.length && to)
        await need(
          api.POST('/api/v1/places/{id}/folders', { params: { path: { id: to.id } }, body: { paths: folders } }),
        );
    } catch (thrown) {
      problem = words(thrown);
      return;
    }
    const known = (l: Line) => ({
      file: l.file,
      name: l.named.trim() || l.file.name,
      ...(l.source && { source: l.source }),
    });
    if (to)
      uploads.add(
        { place: to.id },
        going
          .filter((l) => l.as === 'new' || l.as === 'rendition')
          .map((l) => ({ ...known(l), folder: l.folder, tags: common })),
      );
    for (const l of going) {
      if ((l.as === 'version' || l.as === 'picture') && l.offer)
        uploads.add({ item: l.offer.item, picture: l.as === 'picture' }, [{ ...known(l), folder: '' }]);
      if (l.as === 'rendition' && l.offer) joinLater(l, l.offer.item);
    }
    uploads.open = true;
    open = false;
    await gather.load();
  }

  /** Once it has arrived, it is shown as a format of what it belongs to. */
  function joinLater(line: Line, lead: string) {
    const end = uploads.onFinished((u) => {
      if (u.file !== line.file || !u.made) return;
      end();
      void need(
        api.POST('/api/v1/things/{id}/renditions', { params: { path: { id: lead } }, body: { items: [u.made] } }),
      ).then(
        () => gather.load(),
        () => undefined, // it stays a thing of its own, and is offered again there
      );
    });
  }
</script>

<Modal bind:open {title} size="xl" class="aftergust-modal">
  <div class="head">
    <p>
      <strong>{going.length === 1 ? '1 file' : `${going.length} files`}</strong>
      <span class="figure">{weight(total)}</span>
      <span class="muted">{counts.map(([kind, n]) => `${n} ${kind}`).join(', ')}</span>
    </p>
    {#if same}<p class="muted">
        {same === 1 ? '1 is' : `${same} are`} here already with the same name and size, so {same === 1
          ? 'it is'
          : 'they are'} left out.
      </p>{/if}
    {#if !fits}<p class="problem" role="alert">
        There is no room for that: it needs {weight(total)}, and {weight(Math.max(0, free))} are free. Nothing was uploaded.
      </p>{/if}
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  </div>
  {#if to}
    <label class="label" for="before-tags">Tags for all of them, with commas between</label>
    <input id="before-tags" class="field" bind:value={tags} />
  {/if}
  <ul>
    {#each lines.slice(0, most) as line (line.key)}
      {@const wrong = trouble(line.file, line.named, lines)}
      <li class:out={line.as === 'out'}>
        <span class="kind">{kindOf(line.file.name, line.file.type)}</span>
        <span class="name">
          <input class="field" aria-label="Name of {line.file.name}" bind:value={line.named} />
          {#if line.folder}<span class="muted">in {line.folder}</span>{/if}
          {#if wrong}<span class="late">{wrong}</span>{/if}
        </span>
        <span class="figure muted">{weight(line.file.size)}</span>
        <select class="field" aria-label="What to do with {line.file.name}" bind:value={line.as}>
          {#if to}<option value="new">as a new thing</option>{/if}
          {#if onto?.kind === 'link'}
            <option value="picture">picture of {onto.name}</option>
          {:else if line.offer}
            <option value="version">next version of {line.offer.beside}</option>
            {#if line.offer.kind === 'rendition'}<option value="rendition">format of {line.offer.beside}</option>{/if}
          {/if}
          <option value="out">leave out</option>
        </select>
        {#if line.offer && line.as === 'new'}
          <span class="offer">
            {#if line.offer.kind === 'version'}It looks like the next version of {line.offer.beside}.
              <button class="link" onclick={() => (line.as = 'version')}>Make it that</button>
            {:else if line.offer.kind === 'rendition'}It looks like {line.offer.beside} in another format.
              <button class="link" onclick={() => (line.as = 'rendition')}>Make it that</button>
            {:else}{line.offer.beside} is here already, with another size.
              <button class="link" onclick={() => (line.as = 'version')}>Make it the next version</button>
            {/if}
          </span>
        {/if}
      </li>
    {/each}
  </ul>
  {#if lines.length > most}<p class="muted">And {lines.length - most} more, added as they are.</p>{/if}
  <p>
    <button class="button main" disabled={(!going.length && !folders.length) || !fits} onclick={start}
      >{going.length ? `Upload ${going.length === 1 ? 'it' : `${going.length} files`}` : 'Make the folders'}</button
    >
  </p>
</Modal>

<style>
  .head {
    color: var(--ink);
    display: grid;
    gap: 6px;
    margin-bottom: 12px;
  }
  .label {
    color: var(--ink);
  }
  ul {
    max-height: 46vh;
    overflow: auto;
    margin: 14px 0;
    border-top: 1px solid var(--line);
    color: var(--ink);
  }
  li {
    display: grid;
    grid-template-columns: 118px minmax(0, 1fr) 76px 230px;
    gap: 6px 14px;
    align-items: center;
    padding: 6px 0;
    border-bottom: 1px solid var(--line);
  }
  .out .name,
  .out .kind {
    opacity: 0.75;
  }
  .kind {
    font-size: 14.5px;
  }
  .name {
    display: grid;
    gap: 2px;
    font-size: var(--t-small);
  }
  li .field {
    padding: 4px 8px;
  }
  li .figure {
    text-align: right;
  }
  .offer {
    grid-column: 2 / -1;
    font-size: 14.5px;
  }
  @media (max-width: 720px) {
    li {
      grid-template-columns: minmax(0, 1fr) 76px;
    }
    .kind {
      display: none;
    }
    select,
    .offer {
      grid-column: 1 / -1;
    }
  }
</style>
