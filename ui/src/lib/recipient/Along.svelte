<!-- Other ways to take a package: with what goes along, only the rest, into a folder, from a terminal; and the check
     whether what one has is whole. -->
<script lang="ts">
  import { api, need, words, type GuestPage, type Schemas } from '$api/client';
  import { weight } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Progress from '$lib/ui/Progress.svelte';
  import Tick from '$lib/ui/Tick.svelte';
  import { Folder } from './folder.svelte';
  import { sumOf } from './sum';
  import type { Taking } from './taking.svelte';

  let { guest, link, taking }: { guest: GuestPage; link: string; taking: Taking } = $props();
  const path = $derived({ params: { path: { link } } });
  let problem = $state('');

  const extras = [
    { name: 'cover', word: 'A page about it', means: 'opens in any browser, without a network' },
    { name: 'sums', word: 'A list of sums', means: 'sha256sums.txt, for sha256sum -c' },
    { name: 'mhl', word: 'A media hash list', means: 'ASC MHL, as film archives want it' },
  ];
  let along = $state<string[]>([]);
  const address = $derived(`${guest.archive}&with=${along.join(',')}`);

  const some = $derived(guest.items.some((i) => i.have === 'all'));
  const all = $derived(!guest.next && guest.items.every((i) => i.have === 'all'));
  async function rest() {
    try {
      const { address } = await need(api.POST('/api/v1/r/{link}/choose', { ...path, body: { rest: true } }));
      taking.took(guest.archive_name);
      location.assign(address);
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }

  const folder = new Folder(() => link);

  let sums = $state<Schemas['SumView'][]>();
  let checked = $state<{ name: string; says: string; good: boolean }[]>([]);
  let checking = $state('');
  let over = $state(false);
  async function check(files: FileList | null) {
    if (!files?.length) return;
    try {
      sums = (await need(api.GET('/api/v1/r/{link}/sums', path))) ?? [];
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
      return;
    }
    for (const file of files) {
      checking = file.name;
      const same = sums.filter((s) => s.size === file.size);
      const sum = same.length ? await sumOf(file) : '';
      const found = same.find((s) => s.sha256 === sum);
      const called = sums.find((s) => s.path.split('/').at(-1) === file.name);
      checked = [
        {
          name: file.name,
          good: Boolean(found),
          says: found
            ? `whole, byte for byte${found.path.split('/').at(-1) === file.name ? '' : ` (it is ${found.path})`}`
            : called && called.size !== file.size
              ? `not whole: it has ${weight(file.size)} of ${weight(called.size)}. Download it again; it goes on.`
              : called && !called.sha256
                ? 'as long as it should be; its sum is still being reckoned here'
                : called
                  ? 'not the same: something in it is different. Download it again.'
                  : 'none of these files',
        },
        ...checked.filter((c) => c.name !== file.name),
      ];
    }
    checking = '';
  }

  let terminal = $state<Schemas['TerminalView']>();
  let copied = $state('');
  async function lines() {
    try {
      terminal = await need(api.GET('/api/v1/r/{link}/terminal', path));
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  async function copy(line: string) {
    await navigator.clipboard.writeText(line).then(
      () => (copied = line),
      () => undefined, // it stands there to be marked by hand
    );
  }
</script>

<div class="along">
  {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  {#if some && !all}
    <h3>Only the rest</h3>
    <p class="muted">What you have whole already is left out.</p>
    <Button onclick={rest}>Download the rest as one ZIP</Button>
  {/if}

  <h3>In the ZIP as well</h3>
  {#each extras as x (x.name)}
    <Tick
      bind:checked={
        () => along.includes(x.name),
        (is) => (along = is ? [...along, x.name].sort() : along.filter((n) => n !== x.name))
      }>{x.word} <span class="muted">{x.means}</span></Tick
    >
  {/each}
  {#if along.length}
    <Button href={address} download={guest.archive_name} onclick={() => taking.took(guest.archive_name)}
      >Download the ZIP with {along.length === 1 ? 'it' : 'them'}</Button
    >
  {/if}

  {#if folder.can}
    <h3>Into a folder of yours</h3>
    {#if folder.state === 'none'}
      <p class="muted">As files, not as a ZIP; each is checked, and what is there already is not fetched again.</p>
      <Button onclick={() => folder.choose()}>Choose a folder</Button>
    {:else}
      <Progress done={folder.share} label="Into {folder.name}" />
      <p class="figure muted" role="status">{folder.says}</p>
      {#if folder.state === 'running'}
        <Button onclick={() => folder.stop()}>Pause</Button>
      {:else if folder.state === 'paused'}
        <Button onclick={() => folder.go()}>Go on</Button>
      {/if}
      {#each folder.failed as f, i (i)}<p class="wrong">{f}</p>{/each}
    {/if}
  {/if}

  <h3>Is it whole?</h3>
  <label
    class="drop"
    class:over
    ondragover={(e) => (e.preventDefault(), (over = true))}
    ondragleave={() => (over = false)}
    ondrop={(e) => {
      e.preventDefault();
      e.stopPropagation();
      over = false;
      void check(e.dataTransfer?.files ?? null);
    }}
  >
    <input type="file" multiple class="visually-hidden" onchange={(e) => check(e.currentTarget.files)} />
    {checking ? `Reading ${checking}` : 'Drop a downloaded file here, or choose one. It stays on your machine.'}
  </label>
  <ul aria-live="polite">
    {#each checked as c, i (i)}<li class={c.good ? 'good' : 'late'}><strong>{c.name}</strong>: {c.says}</li>{/each}
  </ul>

  <h3>From a terminal</h3>
  {#if terminal}
    {#if terminal.until}<p class="late">Good {terminal.until}.</p>{/if}
    {#each [...terminal.lines, ...terminal.check] as l (l.tool)}
      <div class="shell">
        <span class="muted">{l.tool}: {l.does}</span>
        <pre>{l.line}</pre>
        <Button look="link" onclick={() => copy(l.line)} aria-label="Copy the line for {l.tool}"
          >{copied === l.line ? 'Copied' : 'Copy'}</Button
        >
      </div>
    {/each}
    <Button look="link" href={terminal.sums}>sha256sums.txt</Button>
  {:else}
    <Button onclick={lines}>Show the lines</Button>
  {/if}
</div>

<style>
  .along {
    display: grid;
    justify-items: start;
    gap: var(--s-3);
    border-top: 1px solid var(--line);
    margin-top: var(--s-5);
    font-size: var(--t-control);
  }
  h3 {
    font-size: var(--t-control);
    margin-top: var(--s-6);
  }
  .drop {
    display: block;
    width: 100%;
    border: 1px dashed var(--perforation);
    border-radius: var(--radius);
    padding: var(--s-6);
    color: var(--muted);
    cursor: pointer;
  }
  .drop:hover,
  .drop:focus-within,
  .drop.over {
    border-color: var(--main);
    color: var(--main);
  }
  .drop:focus-within {
    outline: 2px solid var(--main);
    outline-offset: 2px;
  }
  .good {
    color: var(--main);
  }
  li,
  .shell {
    overflow-wrap: anywhere;
    width: 100%;
  }
  pre {
    font-size: var(--t-tiny);
    white-space: pre-wrap;
    overflow-wrap: anywhere;
    background: var(--surface);
    border: 1px solid var(--line);
    padding: var(--s-3) var(--s-4);
  }
</style>
