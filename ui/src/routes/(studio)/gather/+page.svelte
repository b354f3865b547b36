<!-- Everything a producer has, before it is sent. -->
<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { untrack } from 'svelte';
  import { afterNavigate, goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, need, words, type WholeThing } from '$api/client';
  import { live } from '$lib/live.svelte';
  import { undo } from '$lib/undo.svelte';
  import { chosen, dropped, type Found } from '$lib/found';
  import Choose from '$lib/tray/Choose.svelte';
  import Bar from '$lib/gather/Bar.svelte';
  import Before from '$lib/gather/Before.svelte';
  import LetGo from '$lib/gather/LetGo.svelte';
  import Head from '$lib/gather/Head.svelte';
  import List from '$lib/gather/List.svelte';
  import Look from '$lib/gather/Look.svelte';
  import Make, { type Kind } from '$lib/gather/Make.svelte';
  import Overview from '$lib/gather/Overview.svelte';
  import Space from '$lib/gather/Space.svelte';
  import Stub from '$lib/gather/Stub.svelte';
  import { move } from '$lib/gather/acts';
  import { address, gather, whereOf, type Row } from '$lib/gather/gather.svelte';

  let head = $state<ReturnType<typeof Head>>();
  let list = $state<ReturnType<typeof List>>();
  let tops = $state<ReturnType<typeof Overview>>();
  let bar = $state<ReturnType<typeof Bar>>();
  let before = $state<ReturnType<typeof Before>>();
  let files = $state<Choose>();
  let folder = $state<Choose>();
  let making = $state(false);
  let kind = $state<Kind>('place');
  let over = $state(0);
  let changed = $state(0);
  let renaming = $state<Row | null>(null);
  let name = $state('');
  let aside = $state<WholeThing | null>(null);

  const looked = $derived(page.url.searchParams.get('look') ?? '');
  const where = $derived(whereOf(page.url));
  const key = $derived(JSON.stringify(where));
  /** where only places lie: each says what lies in it */
  const overview = $derived(
    where.view === 'inside' && !gather.filtered && (!gather.here || gather.here.kind === 'client'),
  );

  $effect(() => {
    void key;
    untrack(() => void gather.go(where));
  });
  live('/api/v1/live', (change) => {
    if (change.what !== 'gather' && change.what !== 'resync' && change.what !== 'media') return;
    // Hundreds of files may arrive in a minute; one look a second is enough.
    soon ??= setTimeout(() => {
      soon = undefined;
      changed++;
      void gather.load();
    }, 700);
  });
  let soon: ReturnType<typeof setTimeout> | undefined;
  afterNavigate(() => {
    if (!looked) (list ?? tops)?.focus();
  });

  // The facts of the one that is chosen, beside the list.
  const only = $derived(gather.picked.length === 1 ? gather.picked[0]?.thing : undefined);
  async function facts() {
    const id = only?.id;
    if (!id) return;
    const answer = await need(api.GET('/api/v1/things/{id}', { params: { path: { id } } })).catch(() => null);
    if (only?.id === id) aside = answer;
  }
  $effect(() => {
    void only?.id;
    void changed;
    const timer = setTimeout(() => untrack(() => void facts()), 60);
    return () => clearTimeout(timer);
  });

  const look = (id: string) => goto(address(where, id), { noScroll: true, keepFocus: true });
  function open(row: Row) {
    if (row.place) void goto(address({ place: row.id }));
    else void look(row.id);
  }
  function close() {
    const last = looked;
    void goto(address(where), { noScroll: true }).then(() => gather.choose(last));
  }
  function add(what: 'files' | 'folder' | Kind) {
    if (what === 'files') void files?.open();
    else if (what === 'folder') void folder?.open();
    else {
      kind = what;
      making = true;
    }
  }
  async function put(place: string) {
    const target = gather.places.find((p) => p.id === place);
    try {
      if (target) await move(gather.selection, target);
    } catch (thrown) {
      undo.did(words(thrown));
    }
  }

  function rename(row: Row) {
    renaming = row;
    name = row.thing?.name ?? row.place?.name ?? '';
  }
  async function renamed(event: SubmitEvent) {
    event.preventDefault();
    const row = renaming;
    if (!row) return;
    const old = row.thing?.name ?? row.place?.name ?? '';
    const params = { path: { id: row.id } };
    const set = async (name: string) => {
      await need<unknown>(
        row.place
          ? api.PATCH('/api/v1/places/{id}', { params, body: { name } })
          : api.PATCH('/api/v1/things/{id}', { params, body: { name } }),
      );
      await gather.load();
    };
    try {
      if (name.trim() && name !== old) {
        await set(name);
        undo.did(`Renamed to ${name}.`, () => set(old));
      }
      renaming = null;
      list?.focus();
    } catch (thrown) {
      undo.did(words(thrown));
    }
  }

  const holdsFiles = (data: DataTransfer | null) => data?.types.includes('Files');
  const ask = (found: Found[], folders: string[] = []) => void before?.ask(found, folders);
  async function take(data: DataTransfer, onto?: Row) {
    over = 0;
    const folders: string[] = [];
    const found = await dropped(data, folders);
    if (onto?.thing && (found.length !== 1 || folders.length))
      undo.did(`One file goes onto ${onto.thing.name}. Drop several files beside it, or on a folder.`);
    else await before?.ask(found, folders, onto);
  }
  function paste(event: ClipboardEvent) {
    if ((event.target as HTMLElement).closest('input, textarea')) return;
    const text = event.clipboardData?.getData('text/plain').trim() ?? '';
    if (event.clipboardData?.files.length) ask(chosen(event.clipboardData.files));
    else if (gather.takes && /^https?:\/\/\S+$/.test(text)) {
      void need(
        api.POST('/api/v1/places/{id}/things', {
          params: { path: { id: gather.here!.id } },
          body: { kind: 'link', name: new URL(text).host, data: { url: text } },
        }),
      ).then(
        async (made) => {
          await gather.load();
          gather.choose(made.id);
        },
        (thrown) => undo.did(words(thrown)),
      );
    } else return;
    event.preventDefault();
  }

  function press(event: KeyboardEvent) {
    const target = event.target as HTMLElement;
    if (target.closest('input, textarea, select, [role=dialog], dialog')) return;
    if (event.key === '/') head?.find();
    else if ((event.ctrlKey || event.metaKey) && event.key === 'a' && !looked) gather.all();
    else if (event.key === 'Escape' && gather.chosen.size && !looked) gather.none();
    else if (event.altKey && event.key === 'ArrowLeft' && gather.path.length > 1)
      void goto(address({ place: gather.path.at(-2)!.id }));
    else return;
    event.preventDefault();
  }
</script>

<svelte:head><title>{gather.here?.name ?? 'Gather'} · Aftergust</title></svelte:head>
<svelte:window
  onkeydown={press}
  onpaste={paste}
  ondragenter={(e) => holdsFiles(e.dataTransfer) && (e.preventDefault(), over++)}
  ondragleave={(e) => holdsFiles(e.dataTransfer) && over--}
  ondragover={(e) => holdsFiles(e.dataTransfer) && e.preventDefault()}
  ondrop={(e) => {
    if (!e.dataTransfer || !holdsFiles(e.dataTransfer)) return;
    e.preventDefault();
    void take(e.dataTransfer);
  }}
/>

<main class:over={over > 0}>
  <h1 class="visually-hidden">{gather.here?.name ?? 'Gather'}</h1>
  <Head bind:this={head} {add} quiet={Boolean(looked)} plain={overview} />
  {#if gather.problem}<p class="problem" role="alert">{gather.problem}</p>{/if}

  {#if where.view === 'let_go'}
    <LetGo />
  {:else if where.view === 'space'}
    <Space />
  {:else if looked}
    <Look id={looked} go={look} {close} {changed} />
  {:else}
    <div class="columns" class:aside={only && aside?.id === only.id}>
      <section aria-label="List">
        {#if gather.state === 'ready' && !gather.rows.length}
          <div class="empty">
            {#if gather.filtered}
              <p>Nothing is found. Fewer words find more; the beginning of each is enough.</p>
              <Button look="link" href={address({ place: where.place, view: where.view })}>Show all</Button>
            {:else if where.view === 'at_hand'}
              <p>Nothing is at hand. Choose things and press H: they stay near, here, until you put them back.</p>
            {:else if where.view === 'only_packed'}
              <p>Everything lies in a project. What is dropped straight into a package shows here.</p>
            {:else if where.view === 'lately'}
              <p>Nothing was added yet.</p>
            {:else if !gather.here}
              <p>This is where work is collected before it is sent: a client, in it projects, in them files.</p>
              <Button look="main" onclick={() => add('place')}>Make the first client</Button>
            {:else if gather.here.kind === 'client'}
              <p>{gather.here.name} has no project yet.</p>
              <Button look="main" onclick={() => add('place')}>Make the first project</Button>
            {:else}
              <p>Drop files or whole folders anywhere here. They upload while you go on working.</p>
              <p class="acts">
                <Button look="main" onclick={() => files?.open()}>Choose files</Button>
                <Button onclick={() => folder?.open()}>Choose a folder</Button>
              </p>
            {/if}
          </div>
        {:else if overview}
          <Overview bind:this={tops} parent={where.place} {changed} {put} menu={(x, y) => bar?.menu(x, y)} />
        {:else}
          <List bind:this={list} {open} {put} {rename} {take} menu={(x, y) => bar?.menu(x, y)} />
        {/if}
      </section>
      {#if only && aside?.id === only.id}
        <Stub thing={aside} reload={async () => (await gather.load(), await facts())} />
      {/if}
    </div>
  {/if}
</main>

<Choose bind:this={files} found={ask} />
<Choose bind:this={folder} what="folder" found={ask} />
{#if where.view !== 'let_go' && where.view !== 'space'}<Bar
    bind:this={bar}
    {open}
    {rename}
    quiet={Boolean(looked)}
    beside={Boolean(only && aside?.id === only.id)}
  />{/if}
<Before bind:this={before} />
<Make bind:open={making} {kind} />

{#if renaming}
  <form class="rename" onsubmit={renamed}>
    <Field
      id="rename"
      label="Rename"
      bind:value={name}
      autofocus
      onkeydown={(e) => e.key === 'Escape' && ((renaming = null), list?.focus())}
    />
    <Button look="main">Rename</Button>
  </form>
{/if}
{#if over > 0}
  <p class="drop" aria-hidden="true">
    {gather.takes ? `Let go to add to ${gather.here?.name}` : 'Open a project first; files lie in projects'}
  </p>
{/if}

<style>
  main {
    padding: 0 var(--page) var(--bar-room);
    min-height: calc(100vh - 48px);
  }
  main.over {
    box-shadow: inset 0 0 0 3px var(--main);
  }
  .columns {
    display: grid;
    grid-template-columns: minmax(0, 1fr);
    gap: var(--s-10);
  }
  .columns.aside {
    grid-template-columns: minmax(0, 1fr) 320px;
  }
  .columns.aside > :global(.stub) {
    padding-top: var(--s-7);
  }
  .empty {
    display: grid;
    justify-items: start;
    gap: var(--s-7);
    max-width: 52ch;
    padding: var(--s-13) 0;
    font-size: var(--t-lead);
  }
  .acts {
    display: flex;
    gap: var(--s-5);
  }
  .drop {
    position: fixed;
    inset: auto 0 40px;
    margin: auto;
    width: max-content;
    max-width: 90vw;
    padding: var(--s-5) var(--s-8);
    background: var(--main);
    color: var(--on-main);
    border-radius: var(--radius);
    font-weight: 600;
    z-index: 25;
    pointer-events: none;
  }
  .rename {
    position: fixed;
    inset: 30vh 0 auto;
    margin: auto;
    width: min(480px, 92vw);
    z-index: 25;
    display: grid;
    gap: var(--s-4);
    justify-items: start;
    padding: var(--s-7);
    background: var(--surface);
    border: 1.5px solid var(--ink);
    border-radius: var(--radius);
  }
  @media (--middle) {
    .columns.aside {
      grid-template-columns: minmax(0, 1fr);
    }
  }
  @media (--narrow) {
    main {
      padding: 0 var(--s-7) var(--bar-room);
    }
  }
</style>
