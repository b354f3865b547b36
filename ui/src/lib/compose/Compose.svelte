<!-- What goes at the left, to whom and how at the right, and the Sentence above the button. -->
<script lang="ts">
  import { count } from '$lib/count';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Area from '$lib/ui/Area.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { goto } from '$app/navigation';
  import { api, need, words, type Finding, type Package } from '$api/client';
  import { dropped, type Found } from '$lib/found';
  import Choose from '$lib/tray/Choose.svelte';
  import { uploads } from '$lib/uploads.svelte';
  import { gather } from '$lib/gather/gather.svelte';
  import { weight } from '$lib/time';
  import Findings from '$lib/gather/Findings.svelte';
  import Ends from '$lib/package/Ends.svelte';
  import Ladder from '$lib/package/Ladder.svelte';
  import DoorChoice from './DoorChoice.svelte';
  import InLetterhead from './InLetterhead.svelte';
  import Packed from './Packed.svelte';
  import People from './People.svelte';
  import Presets from './Presets.svelte';
  import Seal from './Seal.svelte';
  import Versions from './Versions.svelte';

  let {
    parcel = $bindable(),
    reload,
    more,
  }: { parcel: Package; reload: () => Promise<void>; more: () => Promise<void> } = $props();

  let title = $state('');
  let letter = $state('');
  let problem = $state('');
  let over = $state(0);
  let files = $state<Choose>();
  let folder = $state<Choose>();
  let typed = { title: false, letter: false };

  const untitled = 'Untitled package';
  $effect(() => {
    // What the server says, unless it is being typed here.
    if (!typed.title) title = parcel.title === untitled ? '' : parcel.title;
    if (!typed.letter) letter = parcel.cover_letter;
  });

  async function edit(body: Parameters<typeof patch>[0]) {
    try {
      parcel = await patch(body);
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  const patch = (body: {
    title?: string;
    cover_letter?: string;
    door?: Package['door'];
    passphrase?: string;
    end_rule?: Package['end_rule'];
    pins?: boolean;
    letterhead?: string;
    reminders?: number[];
  }) => need(api.PATCH('/api/v1/packages/{id}', { params: { path: { id: parcel.id } }, body }));

  let timer: ReturnType<typeof setTimeout> | undefined;
  function write(what: 'title' | 'letter') {
    typed[what] = true;
    clearTimeout(timer);
    timer = setTimeout(save, 500);
  }
  async function save() {
    clearTimeout(timer);
    if (!typed.title && !typed.letter) return;
    const body = { ...(typed.title && { title }), ...(typed.letter && { cover_letter: letter }) };
    typed = { title: false, letter: false };
    await edit(body);
  }

  const put = (some: Found[]) => uploads.add({ parcel: parcel.id }, some);
  function drop(event: DragEvent) {
    event.preventDefault();
    over = 0;
    if (event.dataTransfer) void dropped(event.dataTransfer).then(put);
  }

  const mine = $derived(uploads.of(parcel.id).filter((u) => u.state !== 'done'));
  // Uploads that began elsewhere, or before a reload: they go on when the same file is chosen again.
  const elsewhere = $derived(
    parcel.uploads.filter(
      (u) => !mine.some((m) => m.name === u.name && m.folder === u.folder && m.file.size === u.size),
    ),
  );
  const total = $derived(parcel.size + mine.reduce((sum, u) => sum + u.file.size, 0));

  async function remove(id: string) {
    await need(api.DELETE('/api/v1/items/{id}', { params: { path: { id } } })).catch(
      (thrown) => (problem = words(thrown)),
    );
    await reload();
  }

  let checking = $state(false);
  let findings = $state<Finding[]>([]);
  async function check() {
    try {
      findings = await need(api.GET('/api/v1/packages/{id}/preflight', { params: { path: { id: parcel.id } } }));
      checking = true;
    } catch (thrown) {
      problem = words(thrown);
    }
  }

  async function discard() {
    for (const upload of mine) await uploads.cancel(upload.id);
    await need(api.DELETE('/api/v1/packages/{id}', { params: { path: { id: parcel.id } } }));
    await goto('/packages');
  }
</script>

<svelte:window
  ondragenter={(e) => (e.preventDefault(), over++)}
  ondragleave={() => over--}
  ondragover={(e) => e.preventDefault()}
  ondrop={drop}
/>

<main class="compose" class:over={over > 0}>
  <section class="what" aria-label="What goes">
    <Field
      class="title"
      aria-label="Title"
      placeholder="Title; fills itself in from what you drop"
      bind:value={title}
      oninput={() => write('title')}
      onblur={save}
      maxlength={160}
    />
    <Area
      class="letter"
      aria-label="Cover letter"
      placeholder="Cover letter"
      rows={2}
      bind:value={letter}
      oninput={() => write('letter')}
      onblur={save}
    />

    <div class="bar">
      <span>
        <strong>{count(parcel.count + mine.length, 'item')}</strong>
        <span class="figure muted">{weight(total)}</span>
      </span>
      <span class="adds">
        {#if parcel.items.length}<Button look="link" onclick={check}>Preflight</Button>{/if}
        <Button look="link" href="/gather" onclick={() => gather.chooseFor({ id: parcel.id, title: parcel.title })}
          >From Gather</Button
        >
        <Button look="link" onclick={() => files?.open()}>Choose files</Button>
        <Button look="link" onclick={() => folder?.open()}>Choose a folder</Button>
      </span>
    </div>
    <Choose bind:this={files} found={put} />
    <Choose bind:this={folder} what="folder" found={put} />

    <Packed {parcel} {mine} {elsewhere} {remove} {more} {reload} choose={() => files?.open()} />
    <button class="dropzone" onclick={() => files?.open()}>Drop files or folders anywhere on this page</button>
    <Button look="link" class="discard" onclick={discard}>Throw this draft away</Button>
  </section>

  <section class="how" aria-label="To whom and how">
    <Presets {parcel} set={(p) => (parcel = p)} />
    <People {parcel} {reload} />
    <h2>Ends</h2>
    <Ends waits rule={parcel.end_rule} people={parcel.recipients} change={(end_rule) => edit({ end_rule })} />
    <p class="muted reminders">Whoever has not everything is reminded {parcel.reminded}.</p>
    <Ladder hours={parcel.reminders} change={(reminders) => edit({ reminders })} />
    <h2>Door</h2>
    <DoorChoice parcel={parcel.id} door={parcel.door} hasPassphrase={parcel.has_passphrase} change={edit} />

    <InLetterhead chosen={parcel.letterhead} change={edit} />
    <Versions pins={parcel.pins} change={edit} />

    <Seal bind:parcel {problem} coming={mine.length} before={save} {reload} />
  </section>
</main>

<Dialog bind:open={checking} title="Preflight" size="large">
  <Findings {findings} count={parcel.count} />
</Dialog>

<style>
  .compose {
    display: grid;
    grid-template-columns: minmax(0, 1.29fr) minmax(0, 1fr);
    min-height: calc(100vh - 48px);
  }
  .what {
    padding: var(--s-8) var(--page) var(--s-11);
  }
  .how {
    background: var(--surface);
    border-left: 2px dotted var(--perforation);
    padding: var(--s-8) var(--page) var(--s-11);
  }
  .over .what {
    outline: 2px dashed var(--main);
    outline-offset: -10px;
  }
  .what :global(.title) {
    width: 100%;
    font: 650 var(--t-title) / 1.2 var(--font-display);
    background: none;
    border: 0;
    border-bottom: 1px dashed var(--perforation);
    padding: var(--s-1) 0 var(--s-3);
  }
  .what :global(.title::placeholder) {
    color: var(--muted);
    font-weight: 500;
    font-size: var(--t-large);
  }
  .what :global(.letter) {
    width: 100%;
    background: none;
    border: 0;
    padding: var(--s-4) 0;
    field-sizing: content;
    min-height: 62px;
    resize: vertical;
  }
  .bar {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: var(--s-7);
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--ink);
  }
  .bar .figure {
    margin-left: var(--s-6);
  }
  .adds {
    display: flex;
    gap: var(--s-8);
  }
  .dropzone {
    display: block;
    width: 100%;
    margin: var(--s-6) 0 var(--s-7);
    padding: var(--s-6);
    border: 1px dashed var(--perforation);
    border-radius: var(--radius);
    color: var(--muted);
  }
  .dropzone:hover,
  .over .dropzone {
    border-color: var(--main);
    color: var(--main);
  }
  .what > :global(.discard) {
    color: var(--wrong);
  }
  h2 {
    font-size: var(--t-lead);
    margin: var(--s-8) 0 var(--s-2);
  }
  .reminders {
    font-size: var(--t-small);
    margin: var(--s-4) 0 var(--s-1);
  }
  @media (--narrow) {
    .bar,
    .adds {
      flex-wrap: wrap;
    }
    .adds {
      gap: var(--s-2) var(--s-7);
    }
  }
  @media (--middle) {
    .compose {
      grid-template-columns: 1fr;
    }
    .what,
    .how {
      padding: var(--s-7) var(--s-7) var(--s-9);
    }
    .how {
      border-left: 0;
      border-top: 2px dotted var(--perforation);
    }
  }
</style>
