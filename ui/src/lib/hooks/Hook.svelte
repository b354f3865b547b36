<!-- One webhook: where it leads, how it goes, and the log of its messages. -->
<script lang="ts">
  import { api, need, type Schemas } from '$api/client';
  import { notices as kinds } from '$api/kinds';
  import type { Attempt } from '$lib/attempt.svelte';
  import { count } from '$lib/count';
  import { clock } from '$lib/live.svelte';
  import { Resource } from '$lib/resource.svelte';
  import { briefly, inFull } from '$lib/time';
  import { undo } from '$lib/undo.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Menu from '$lib/ui/Menu.svelte';
  import Secret from './Secret.svelte';

  interface Props {
    hook: Schemas['HookView'];
    edit: () => void;
    did: () => Promise<void>;
    attempt: Attempt['run'];
  }
  let { hook, edit, did, attempt }: Props = $props();
  type Message = Schemas['DeliveryView'];

  const path = $derived({ params: { path: { id: hook.id } } });
  let open = $state(false);
  let next = $state('');
  const page = (after: string) =>
    need(api.GET('/api/v1/hooks/{id}/messages', { params: { path: { id: hook.id }, query: { after } } }));
  const log = new Resource<Message[]>(async () => {
    const first = await page('');
    next = first.next;
    return first.messages;
  });
  async function more() {
    const older = await page(next);
    log.value = [...(log.value ?? []), ...older.messages];
    next = older.next;
  }
  // What was just sent is tried within a moment: the log looks again until it was.
  let looks: ReturnType<typeof setTimeout> | undefined;
  function look(left = 8) {
    clearTimeout(looks);
    looks = setTimeout(async () => {
      await Promise.all([log.load(), did()]);
      if (left && log.value?.some((m) => m.state === 'waiting' && !m.tried_at)) look(left - 1);
    }, 700);
  }
  $effect(() => () => clearTimeout(looks));
  function unfold() {
    open = !open;
    if (open) void log.load();
  }

  let deleting = $state(false);
  let renewed = $state('');
  let showing = $state(false);
  const trial = () =>
    attempt(async () => {
      await need(api.POST('/api/v1/hooks/{id}/trial', path));
      open = true;
      look();
    });
  const again = (m: Message) =>
    attempt(async () => {
      await need(api.POST('/api/v1/hooks/messages/{id}/again', { params: { path: { id: m.id } } }));
      undo.did('It goes once more.');
      look();
    });
  const turn = (on: boolean) =>
    attempt(async () => {
      await need(api.PUT('/api/v1/hooks/{id}', { ...path, body: { address: hook.address, kinds: hook.kinds, on } }));
    });
  const renew = () =>
    attempt(async () => {
      renewed = (await need(api.POST('/api/v1/hooks/{id}/secret', path))).secret;
      showing = true;
    });
  const remove = () =>
    attempt(async () => {
      await need(api.DELETE('/api/v1/hooks/{id}', path));
      deleting = false;
    });
  const short = $derived(hook.address.replace(/^https?:\/\//, ''));
  const wants = $derived(
    hook.kinds.length === kinds.length
      ? 'everything that you are told of'
      : hook.kinds.map((k) => kinds.find((d) => d.name === k)?.word.toLowerCase() ?? k).join(', '),
  );
  const how = $derived(
    !hook.on
      ? `off: ${hook.why_off}`
      : hook.failed_at
        ? `the last try failed, ${briefly(new Date(hook.failed_at), clock.now)}`
        : hook.took_at
          ? `took the last message, ${briefly(new Date(hook.took_at), clock.now)}`
          : 'nothing was sent yet',
  );
  const became = (m: Message) =>
    m.state === 'taken'
      ? `taken, ${m.status} in ${m.took_ms} ms`
      : m.state === 'given_up'
        ? `not taken, given up after ${count(m.tries, 'try', 'tries')}`
        : m.tried_at
          ? `not taken yet, ${count(m.tries, 'try', 'tries')}${m.next_at ? `; again ${briefly(new Date(m.next_at), clock.now)}` : ''}`
          : 'on its way';
</script>

<section aria-label={short} class:off={!hook.on}>
  <header>
    <div class="what">
      <h2>{short}</h2>
      <p class="muted">Told of {wants}</p>
      <p class:wrong={!!hook.failed_at && hook.on} class:late={!hook.on}>{how}</p>
    </div>
    <div class="acts">
      {#if hook.on}<Button onclick={trial}>Send a trial</Button>
      {:else}<Button onclick={() => turn(true)}>Turn it on</Button>{/if}
      <Menu
        name="More"
        label="More about {short}"
        side="bottom-end"
        acts={[
          { name: 'Change…', do: edit },
          { name: 'Another secret…', do: () => void renew() },
          ...(hook.on ? [{ name: 'Turn it off', do: () => void turn(false) }] : []),
          { name: 'Delete…', wrong: true, do: () => (deleting = true) },
        ]}
      />
    </div>
  </header>
  <Button look="link" onclick={unfold} aria-expanded={open}>{open ? 'Hide its messages' : 'Its messages'}</Button>
  {#if open && log.problem}<p class="problem" role="alert">{log.problem}</p>{/if}
  {#if open && log.value}
    <ol>
      {#each log.value as m (m.id)}
        <li class={m.state}>
          <time class="figure" datetime={m.at} title={inFull(new Date(m.at))}>{briefly(new Date(m.at), clock.now)}</time
          >
          <span class="about"
            ><strong>{m.word}</strong>{#if m.title}<span class="muted">, {m.title}</span>{/if}
            <span class="became">{became(m)}</span>
            {#if m.says && m.state !== 'taken'}<span class="muted says">{m.status ? `${m.status}: ` : ''}{m.says}</span
              >{/if}
          </span>
          <Button look="link" onclick={() => again(m)} aria-label="Send again: {m.word} {m.title}">Send again</Button>
        </li>
      {:else}
        <li class="muted">Nothing was sent yet.</li>
      {/each}
    </ol>
    {#if next}<Button look="quiet" onclick={() => void attempt(more)}>Older ones</Button>{/if}
  {/if}
</section>

<Dialog bind:open={showing} title="Its new secret" size="small"><Secret secret={renewed} both /></Dialog>
<Dialog bind:open={deleting} title="Delete the webhook" size="small">
  <div class="ask">
    <p>{short} is told nothing any more, and the log of its messages goes too. Turning it off keeps both.</p>
    <Button look="wrong" onclick={remove}>Delete it</Button>
  </div>
</Dialog>

<style>
  section {
    padding: var(--s-6) 0;
    border-top: 1px solid var(--line);
  }
  header {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-5);
    justify-content: space-between;
    margin-bottom: var(--s-3);
  }
  .what {
    min-width: 0;
    flex: 1 1 320px;
  }
  h2 {
    overflow-wrap: anywhere;
  }
  .acts {
    display: flex;
    gap: var(--s-3);
    align-items: start;
  }
  ol {
    list-style: none;
    margin: var(--s-4) 0;
    padding: 0;
    max-width: 900px;
  }
  li {
    display: grid;
    grid-template-columns: 84px minmax(0, 1fr) auto;
    gap: var(--s-2) var(--s-5);
    align-items: baseline;
    padding: var(--s-3) 0;
    border-top: 1px solid var(--line);
  }
  .became {
    display: block;
    font-size: var(--t-small);
  }
  .says {
    display: block;
    font-size: var(--t-small);
    overflow-wrap: anywhere;
  }
  .given_up .became {
    color: var(--wrong);
  }
  .waiting .became {
    color: var(--late);
  }
  .taken .became {
    color: var(--main);
  }
  .ask {
    display: grid;
    gap: var(--s-6);
    justify-items: start;
  }
</style>
