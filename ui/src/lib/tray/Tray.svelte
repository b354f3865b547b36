<!-- The uploads, through all screens: what comes in, how fast, how long it takes, in which order. -->
<script lang="ts">
  import Progress from '$lib/ui/Progress.svelte';
  import { count } from '$lib/count';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, type Schemas } from '$api/client';
  import { span, weight } from '$lib/time';
  import type { Found } from '$lib/found';
  import { uploads, type Upload } from '$lib/uploads.svelte';
  import Choose from './Choose.svelte';

  let elsewhere = $state<Schemas['Upload'][]>([]);
  let again = $state<Choose>();
  const most = 200;

  const shown = $derived(uploads.list.filter((u) => u.state !== 'cancelled'));
  const going = $derived(uploads.active.length);
  const done = $derived(shown.filter((u) => u.state === 'done').length);
  const stopped = $derived(shown.filter((u) => u.state === 'paused' || u.state === 'failed').length);
  const share = $derived(uploads.total ? uploads.sent / uploads.total : 0);
  // Begun before a reload, or in another browser: they go on when the same files are chosen again.
  const waiting = $derived(
    elsewhere.filter(
      (e) =>
        !shown.some((u) => u.name === e.name && u.file.size === e.size && u.folder === e.folder) &&
        !uploads.held.some((k) => k.name === e.name && k.size === e.size && k.folder === e.folder),
    ),
  );
  const some = (names: string[]) => `${names.slice(0, 3).join(', ')}${names.length > 3 ? ' …' : ''}`;

  $effect(() => {
    if (!uploads.open) return;
    void need(api.GET('/api/v1/arriving', {})).then(
      (list) => (elsewhere = list),
      () => undefined,
    );
  });

  /** Files chosen again go on where they belong. */
  function resume(some: Found[]) {
    for (const found of some) {
      const begun = waiting.find((e) => e.name === found.file.name && e.size === found.file.size);
      if (!begun) continue;
      uploads.add({ parcel: begun.package_id, place: begun.place_id, item: begun.item_id }, [
        { ...found, folder: begun.folder, tags: begun.tags },
      ]);
    }
  }

  const said = (u: Upload) =>
    ({
      queued: 'waits for its turn',
      running: `${u.rate ? `${weight(u.rate)}/s` : ''}${u.left === null ? '' : ` · ${span(u.left)} left`}`,
      waiting: u.problem,
      paused: 'paused',
      failed: u.problem,
      done: 'there',
      cancelled: '',
    })[u.state];
</script>

{#if uploads.open}
  <section class="tray" aria-label="Uploads">
    <header>
      <h2>Uploads</h2>
      <Button look="link" onclick={() => (uploads.open = false)}>Close</Button>
    </header>
    {#if shown.length}
      <div class="whole">
        <Progress done={share} label="All uploads" />
        {#if uploads.total}
          <p class="figure">
            {Math.floor(share * 100)} % · {weight(uploads.sent)} of {weight(uploads.total)}
            {#if going && uploads.rate}· {weight(uploads.rate)}/s{/if}
            {#if uploads.secondsLeft !== null}· {span(uploads.secondsLeft)} left{/if}
          </p>
        {/if}
        <p class="acts">
          <span class="muted">{done} of {shown.length} there</span>
          {#if going}<Button look="link" onclick={() => uploads.pauseAll()}>Pause all</Button>{/if}
          {#if stopped}<Button look="link" onclick={() => uploads.resumeAll()}>Go on with all</Button>{/if}
          {#if going || stopped}<Button look="link" onclick={() => uploads.cancelAll()}>Cancel all</Button>{/if}
          {#if done}<Button look="link" onclick={() => uploads.clear()}>Clear what is there</Button>{/if}
        </p>
      </div>
    {/if}
    <ul>
      {#each shown.slice(0, most) as u (u.id)}
        <li data-state={u.state}>
          <span class="tick" aria-hidden="true">{u.state === 'done' ? '✓' : u.state === 'failed' ? '!' : '↑'}</span>
          <span class="name">
            <strong title={u.name}>{u.name}</strong>
            {#if u.folder}<span class="muted folder">{u.folder}</span>{/if}
          </span>
          <span class="figure muted">{weight(u.file.size)}</span>
          {#if u.state !== 'done'}
            <Progress done={u.file.size ? u.sent / u.file.size : 0} label="Upload of {u.name}" />
            <span class="said" class:late={u.state === 'waiting'} class:wrong={u.state === 'failed'}>{said(u)}</span>
            <span class="acts">
              {#if u.state === 'queued'}
                <Button look="link" onclick={() => uploads.first(u.id)} aria-label="Next, {u.name}">Next</Button>
                <Button look="link" onclick={() => uploads.shift(u.id, -1)} aria-label="Earlier, {u.name}">↑</Button>
                <Button look="link" onclick={() => uploads.shift(u.id, 1)} aria-label="Later, {u.name}">↓</Button>
              {/if}
              {#if u.state === 'paused'}<Button
                  look="link"
                  onclick={() => uploads.resume(u.id)}
                  aria-label="Go on with {u.name}">Go on</Button
                >
              {:else if u.state === 'failed'}<Button
                  look="link"
                  onclick={() => uploads.resume(u.id)}
                  aria-label="Try again with {u.name}">Try again</Button
                >
              {:else}<Button look="link" onclick={() => uploads.pause(u.id)} aria-label="Pause {u.name}">Pause</Button
                >{/if}
              <Button look="link" onclick={() => uploads.cancel(u.id)} aria-label="Cancel {u.name}">Cancel</Button>
            </span>
          {/if}
        </li>
      {/each}
      {#if shown.length > most}<li class="muted">And {shown.length - most} more.</li>{/if}
    </ul>
    {#if uploads.held.length}
      <div class="elsewhere">
        <p>
          <strong>{count(uploads.held.length, 'file waits', 'files wait')}</strong> since this page was left: {some(
            uploads.held.map((k) => k.name),
          )}. The browser may ask whether Aftergust can read
          {uploads.held.length === 1 ? 'it' : 'them'} again; what has arrived is kept.
        </p>
        <p class="acts">
          <Button look="main" onclick={() => uploads.goOn()}>Go on</Button>
          <Button look="link" onclick={() => uploads.dismiss()}
            >Let go of {uploads.held.length === 1 ? 'it' : 'them'}</Button
          >
        </p>
      </div>
    {/if}
    {#if uploads.lost.length}
      <div class="elsewhere">
        <p>
          {some(uploads.lost)}
          {uploads.lost.length === 1 ? 'is' : 'are'} no longer where {uploads.lost.length === 1
            ? 'it was'
            : 'they were'} when this page was left. Choose {uploads.lost.length === 1 ? 'it' : 'them'} again where {uploads
            .lost.length === 1
            ? 'it lies'
            : 'they lie'} now.
        </p>
        <Button look="link" onclick={() => (uploads.lost = [])}>Understood</Button>
      </div>
    {/if}
    {#if waiting.length}
      <div class="elsewhere">
        <p>
          <strong>{count(waiting.length, 'file')}</strong> began before and
          {waiting.length === 1 ? 'is' : 'are'} not whole: {some(waiting.map((e) => e.name))}. Choose the same {waiting.length ===
          1
            ? 'file'
            : 'files'} again, or drop the folder again where it goes; what has arrived is kept.
        </p>
        <Button onclick={() => again?.open()}>Choose again</Button>
        <Choose bind:this={again} as="again" found={resume} />
      </div>
    {:else if !shown.length && !uploads.held.length}
      <p class="muted none">Nothing is on its way. Drop files anywhere in a project or a package.</p>
    {/if}
  </section>
{/if}

<style>
  .tray {
    position: fixed;
    right: 20px;
    top: 56px;
    z-index: 22;
    width: min(480px, calc(100vw - 24px));
    max-height: calc(100vh - 90px);
    overflow: auto;
    background: var(--surface);
    border: 1.5px solid var(--ink);
    border-radius: var(--radius);
    padding: var(--s-6) var(--s-7);
  }
  /* Where there is room it stands beside the work and not on it. */
  @media (--wide) {
    .tray {
      right: 0;
      top: 48px;
      bottom: 0;
      width: var(--tray);
      max-height: none;
      border: 0;
      border-left: 2px dotted var(--perforation);
      border-radius: 0;
    }
    :global(body:has(section.tray) #main) {
      margin-right: var(--tray);
    }
  }
  header {
    display: flex;
    justify-content: space-between;
    align-items: baseline;
  }
  .whole {
    padding: var(--s-4) 0 var(--s-5);
    border-bottom: 2px dotted var(--perforation);
    display: grid;
    gap: var(--s-2);
  }
  .whole :global(.progress) {
    height: 9px;
  }
  li {
    display: grid;
    grid-template-columns: 18px minmax(0, 1fr) 74px;
    gap: var(--s-0) var(--s-4);
    align-items: baseline;
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
    font-size: var(--t-control);
  }
  li > :global(.progress),
  .said,
  li .acts {
    grid-column: 2 / -1;
  }
  .tick {
    color: var(--main);
    font-weight: 700;
  }
  [data-state='failed'] .tick {
    color: var(--wrong);
  }
  .name {
    min-width: 0;
  }
  .name strong,
  .folder {
    display: block;
    font-weight: 600;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .folder {
    font-weight: 400;
    font-size: var(--t-small);
  }
  li .figure {
    text-align: right;
  }
  .said {
    color: var(--muted);
    font-size: var(--t-small);
    min-height: 1.4em;
    font-variant-numeric: tabular-nums;
  }
  .said.late {
    color: var(--late);
  }
  .said.wrong {
    color: var(--wrong);
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-0) var(--s-6);
    align-items: baseline;
    font-size: var(--t-small);
  }
  .acts :global(.link) {
    font-size: var(--t-small);
    min-height: 26px;
  }
  .elsewhere {
    display: grid;
    gap: var(--s-4);
    justify-items: start;
    margin-top: var(--s-5);
    padding: var(--s-4) var(--s-5);
    background: var(--late-faint);
    font-size: var(--t-control);
  }
  .none {
    padding: var(--s-7) 0;
  }
</style>
