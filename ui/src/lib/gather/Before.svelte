<!--
  Before an upload starts: what each file is, what it shall be called and tagged, what it seems to be beside
  what is there already, and what looks wrong. Nothing is forced.
-->
<script lang="ts">
  import { count } from '$lib/count';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type Place } from '$api/client';
  import { weight } from '$lib/time';
  import type { Found } from '$lib/found';
  import { uploads } from '$lib/uploads.svelte';
  import { gather, type Row } from './gather.svelte';
  import Arriving from './Arriving.svelte';
  import ChoosePlace from './ChoosePlace.svelte';
  import { tagsOf } from './acts';
  import { kindOf, trouble, type Line } from './before';

  let lines = $state<Line[]>([]);
  /** where they go; undefined where one goes to a thing */
  let to = $state.raw<Place>();
  let onto = $state.raw<Row['thing']>();
  const path = $derived(to?.id === gather.here?.id ? gather.path.map((p) => p.name).join(' / ') : (to?.name ?? ''));
  const title = $derived(to || onto ? `Add to ${(to ?? onto)!.name}` : 'Add to a project');
  let folders = $state.raw<string[]>([]);
  let open = $state(false);
  let choosing = $state(false);
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
    // A thing takes one file; a folder, or several, go where the thing is.
    onto = found.length === 1 && !found[0]?.folder && !empty.length ? row?.thing : undefined;
    to = onto ? undefined : (row?.place ?? (gather.takes ? gather.here : undefined));
    if (!found.length && !empty.length) return;
    folders = empty;
    problem = '';
    tags = '';
    lines = found.map((f, key) => ({ ...f, key, named: f.file.name, own: '', as: 'new' }));
    if (onto && lines[0]) {
      lines[0].as = onto.kind === 'link' ? 'picture' : 'version';
      lines[0].offer = { index: 0, item: onto.id, beside: onto.name, kind: 'version' };
    }
    open = true;
    await reckon();
  }

  /** What there is room for, and what the files seem to be where they go. */
  async function reckon() {
    try {
      const space = await need(api.GET('/api/v1/space', {}));
      free = space.quota - space.used;
      const asked = to;
      if (!asked) return;
      const offers = await need(
        api.POST('/api/v1/places/{id}/offers', {
          params: { path: { id: asked.id } },
          body: {
            files: lines.map((l) => ({ name: l.file.name, size: l.file.size, ...(l.folder && { folder: l.folder }) })),
          },
        }),
      );
      if (asked !== to) return; // another place was chosen meanwhile
      for (const offer of offers) {
        const line = lines[offer.index];
        if (!line) continue;
        line.offer = offer;
        if (offer.kind === 'same') line.as = 'out';
      }
    } catch (thrown) {
      problem = words(thrown);
    }
  }

  async function elsewhere(place: Place) {
    to = place;
    for (const line of lines) Object.assign(line, { as: 'new', offer: undefined });
    await reckon();
  }

  async function start() {
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
          .map((l) => ({ ...known(l), folder: l.folder, tags: [...new Set([...tagsOf(tags), ...tagsOf(l.own)])] })),
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

<Dialog bind:open {title} size="large">
  <div class="head">
    {#if to}
      <p>
        <span class="muted">It goes into</span> <strong>{path}</strong>
        <Button look="link" onclick={() => (choosing = true)}>Elsewhere</Button>
      </p>
    {:else if !onto}
      <p>
        Files lie in projects. <Button onclick={() => (choosing = true)}>Choose where it goes</Button>
      </p>
    {/if}
    <p>
      <strong>{count(going.length, 'file')}</strong>
      <span class="figure">{weight(total)}</span>
      <span class="muted">{counts.map(([kind, n]) => count(n, kind)).join(', ')}</span>
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
  {#if !onto}
    <div>
      <Field id="before-tags" label="Tags for all of them, with commas between" bind:value={tags} />
    </div>
  {/if}
  <ul>
    {#each lines.slice(0, most) as line, i (line.key)}
      <Arriving bind:line={lines[i]!} {onto} wrong={trouble(line.file, line.named, lines)} anywhere={!onto} />
    {/each}
  </ul>
  {#if lines.length > most}<p class="muted">And {lines.length - most} more, added as they are.</p>{/if}
  <p>
    <Button look="main" disabled={(!going.length && !folders.length) || !fits || !(to ?? onto)} onclick={start}
      >{going.length ? `Upload ${going.length === 1 ? 'it' : `${going.length} files`}` : 'Make the folders'}</Button
    >
  </p>
</Dialog>
<ChoosePlace
  bind:open={choosing}
  title="Where it goes"
  verb="Put into"
  takes={(p) => p.kind !== 'client'}
  chosen={elsewhere}
/>

<style>
  .head {
    color: var(--ink);
    display: grid;
    gap: var(--s-2);
    margin-bottom: var(--s-5);
  }
  ul {
    max-height: 46vh;
    overflow: auto;
    margin: var(--s-6) 0;
    border-top: 1px solid var(--line);
    color: var(--ink);
  }
</style>
