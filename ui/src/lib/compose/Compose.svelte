<!-- What goes at the left, to whom and how at the right, and the Sentence above the button. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import { Modal } from 'flowbite-svelte';
  import { api, need, words, type Finding, type Package } from '$api/client';
  import { chosen, dropped, uploads } from '$lib/uploads.svelte';
  import { span, weight } from '$lib/time';
  import Findings from '$lib/gather/Findings.svelte';
  import Thumb from '$lib/ui/Thumb.svelte';
  import Ends from '$lib/package/Ends.svelte';
  import DoorChoice from './DoorChoice.svelte';
  import People from './People.svelte';

  let { parcel = $bindable(), reload }: { parcel: Package; reload: () => Promise<void> } = $props();

  let title = $state('');
  let letter = $state('');
  let problem = $state('');
  let over = $state(0);
  let whenDone = $state(false);
  let sending = $state(false);
  let files: HTMLInputElement;
  let folder: HTMLInputElement;
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
    door?: 'open' | 'passphrase' | 'named';
    passphrase?: string;
    end_rule?: Package['end_rule'];
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

  function drop(event: DragEvent) {
    event.preventDefault();
    over = 0;
    if (event.dataTransfer) void dropped(event.dataTransfer).then((found) => uploads.add({ parcel: parcel.id }, found));
  }

  const mine = $derived(uploads.of(parcel.id).filter((u) => u.state !== 'done'));
  // Uploads that began elsewhere, or before a reload: they go on when the same file is chosen again.
  const elsewhere = $derived(
    parcel.uploads.filter(
      (u) => !mine.some((m) => m.name === u.name && m.folder === u.folder && m.file.size === u.size),
    ),
  );
  const blocking = $derived(parcel.warnings.filter((w) => w.blocks));
  const onlyUploads = $derived(
    blocking.every((w) => w.code === 'uploading') && (mine.length > 0 || blocking.length === 0),
  );
  const total = $derived(parcel.size + mine.reduce((sum, u) => sum + u.file.size, 0));

  $effect(() => {
    if (whenDone && !mine.length && !blocking.length) void send();
  });

  async function send() {
    if (sending) return;
    await save();
    if (mine.some((u) => u.state !== 'failed' && u.state !== 'paused')) {
      whenDone = !whenDone;
      return;
    }
    sending = true;
    whenDone = false;
    try {
      parcel = await need(api.POST('/api/v1/packages/{id}/send', { params: { path: { id: parcel.id } } }));
      uploads.tidy(parcel.id);
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      sending = false;
    }
  }

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

  function press(event: KeyboardEvent) {
    if ((event.metaKey || event.ctrlKey) && event.key === 'Enter') void send();
  }
</script>

<svelte:window
  ondragenter={(e) => (e.preventDefault(), over++)}
  ondragleave={() => over--}
  ondragover={(e) => e.preventDefault()}
  ondrop={drop}
  onkeydown={press}
/>

<main class="compose" class:over={over > 0}>
  <section class="what" aria-label="What goes">
    <input
      class="title"
      aria-label="Title"
      placeholder="Title; fills itself in from what you drop"
      bind:value={title}
      oninput={() => write('title')}
      onblur={save}
      maxlength="160"
    />
    <textarea
      class="letter"
      aria-label="Cover letter"
      placeholder="Cover letter"
      rows="2"
      bind:value={letter}
      oninput={() => write('letter')}
      onblur={save}></textarea>

    <div class="bar">
      <span>
        <strong
          >{parcel.items.length + mine.length === 1 ? '1 item' : `${parcel.items.length + mine.length} items`}</strong
        >
        <span class="figure muted">{weight(total)}</span>
      </span>
      <span class="adds">
        {#if parcel.items.length}<button class="link" onclick={check}>Preflight</button>{/if}
        <a class="link" href="/gather">From Gather</a>
        <button class="link" onclick={() => files.click()}>Choose files</button>
        <button class="link" onclick={() => folder.click()}>Choose a folder</button>
      </span>
    </div>
    <input
      bind:this={files}
      type="file"
      multiple
      hidden
      data-choose="files"
      onchange={() => (uploads.add({ parcel: parcel.id }, chosen(files.files!)), (files.value = ''))}
    />
    <input
      bind:this={folder}
      type="file"
      webkitdirectory
      hidden
      onchange={() => (uploads.add({ parcel: parcel.id }, chosen(folder.files!)), (folder.value = ''))}
    />

    <ul>
      {#each parcel.items as item (item.id)}
        <li>
          <Thumb {item} />
          <span class="name">
            <strong>{item.name}</strong>
            <span class="muted">{item.folder ? `${item.folder} · ` : ''}{item.about}</span>
            {#if item.media_state === 'failed'}<span class="late"
                >No preview: {item.media_error}. The original is whole.</span
              >{/if}
          </span>
          <span class="figure muted">{item.weight}</span>
          <button class="remove" onclick={() => remove(item.id)} aria-label="Take out {item.name}">Take out</button>
        </li>
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
            <button class="remove" onclick={() => uploads.pause(upload.id)} aria-label="Pause {upload.name}"
              >Pause</button
            >
          {/if}
          <button class="remove" onclick={() => uploads.cancel(upload.id)} aria-label="Cancel {upload.name}"
            >Cancel</button
          >
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
          <button class="remove" onclick={() => files.click()} aria-label="Choose again {upload.name}"
            >Choose again</button
          >
        </li>
      {/each}
    </ul>
    <button class="dropzone" onclick={() => files.click()}>Drop files or folders anywhere on this page</button>
    <button class="link discard" onclick={discard}>Throw this draft away</button>
  </section>

  <section class="how" aria-label="To whom and how">
    <People {parcel} {reload} />
    <h2>Ends</h2>
    <Ends rule={parcel.end_rule} change={(end_rule) => edit({ end_rule })} />
    {#if parcel.ends}<p class="muted hint">{parcel.ends}, in {parcel.left}.</p>{/if}
    <h2>Door</h2>
    <DoorChoice door={parcel.door} hasPassphrase={parcel.has_passphrase} change={edit} />

    <div class="send">
      <p class="sentence" aria-live="polite">
        {#each parcel.sentence as part, i (i)}{#if part.strong}<strong>{part.text}</strong
            >{:else}{part.text}{/if}{/each}
      </p>
      {#each parcel.warnings as w, i (w.code + i)}
        <p class="warning" class:blocks={w.blocks}>
          <svg
            width="16"
            height="15"
            viewBox="0 0 16 15"
            fill="none"
            stroke="currentColor"
            stroke-width="1.5"
            aria-hidden="true"
          >
            <path d="M8 1.5 15 14H1z M8 6v4 M8 11.4v1" />
          </svg>
          {w.text}
        </p>
      {/each}
      {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
      <div class="go">
        <button
          class="button main"
          onclick={send}
          disabled={sending || !onlyUploads}
          aria-pressed={mine.length ? whenDone : undefined}
        >
          {#if !mine.length}Send{:else if whenDone}Goes when the upload is done{:else}Send when the upload is done{/if}
          <kbd class="key">Ctrl ↵</kbd>
        </button>
        {#if parcel.recipients[0]}
          <a class="link" href={parcel.recipients[0].link} target="_blank" rel="noopener"
            >See it as {parcel.recipients[0].anyone ? 'anyone' : parcel.recipients[0].name}</a
          >
        {/if}
      </div>
    </div>
  </section>
</main>

<Modal bind:open={checking} title="Preflight" size="lg" class="aftergust-modal">
  <Findings {findings} count={parcel.items.length} />
</Modal>

<style>
  .compose {
    display: grid;
    grid-template-columns: minmax(0, 1.29fr) minmax(0, 1fr);
    min-height: calc(100vh - 48px);
  }
  .what {
    padding: 22px var(--page) 40px;
  }
  .how {
    background: var(--surface);
    border-left: 2px dotted var(--perforation);
    padding: 22px var(--page) 40px;
  }
  .over .what {
    outline: 2px dashed var(--main);
    outline-offset: -10px;
  }
  .title {
    width: 100%;
    font: 650 var(--t-title) / 1.2 var(--font-display);
    background: none;
    border: 0;
    border-bottom: 1px dashed var(--perforation);
    padding: 4px 0 8px;
  }
  .title::placeholder {
    color: var(--muted);
    font-weight: 500;
    font-size: 22px;
  }
  .letter {
    width: 100%;
    background: none;
    border: 0;
    padding: 10px 0;
    field-sizing: content;
    min-height: 62px;
    resize: vertical;
  }
  .letter::placeholder {
    color: var(--muted);
  }
  .bar {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 16px;
    padding: 8px 0;
    border-bottom: 1px solid var(--ink);
  }
  .bar .figure {
    margin-left: 14px;
  }
  .adds {
    display: flex;
    gap: 20px;
  }
  li {
    display: flex;
    align-items: center;
    gap: 14px;
    padding: 8px 0;
    border-bottom: 1px solid var(--line);
    min-height: 58px;
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
    width: 72px;
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
    margin-top: 6px;
  }
  .progress span {
    display: block;
    height: 100%;
    background: var(--main);
    transition: width 150ms;
  }
  .dropzone {
    display: block;
    width: 100%;
    margin: 14px 0 18px;
    padding: 14px;
    border: 1px dashed var(--perforation);
    border-radius: var(--radius);
    color: var(--muted);
  }
  .dropzone:hover,
  .over .dropzone {
    border-color: var(--main);
    color: var(--main);
  }
  .discard {
    color: var(--wrong);
  }
  h2 {
    font-size: 16.5px;
    margin: 20px 0 6px;
  }
  .hint {
    font-size: var(--t-small);
    margin-top: 6px;
  }
  .send {
    border-top: 1px solid var(--ink);
    margin-top: 24px;
    padding-top: 14px;
  }
  .sentence {
    font-family: var(--font-display);
    font-size: 18px;
    line-height: 1.38;
    margin-bottom: 10px;
  }
  .sentence strong {
    font-weight: 700;
  }
  .warning {
    display: flex;
    gap: 9px;
    align-items: baseline;
    color: var(--late);
    margin-bottom: 6px;
  }
  .warning svg {
    flex: none;
    transform: translateY(2px);
  }
  .go {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 20px;
    margin-top: 16px;
  }
  @media (max-width: 900px) {
    .compose {
      grid-template-columns: 1fr;
    }
    .what,
    .how {
      padding: 18px 16px 28px;
    }
    .how {
      border-left: 0;
      border-top: 2px dotted var(--perforation);
    }
    li {
      flex-wrap: wrap;
    }
  }
</style>
