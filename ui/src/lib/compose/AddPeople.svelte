<!-- A field for whoever goes on the waybill: a name from the contact book, an address, or a pasted list; what could not
     be taken stands below with why. -->
<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type Package, type Schemas } from '$api/client';
  import { count } from '$lib/count';
  import { step } from '$lib/ui/walk';

  type Reading = Schemas['ReadingView'];
  type Person = Schemas['PersonView'];
  let { parcel, reload }: { parcel: Package; reload: () => Promise<void> } = $props();
  let typed = $state('');
  let problem = $state('');
  /** read, and not taken without a word */
  let doubtful = $state<Reading[]>([]);
  let twice = $state(0);
  let known = $state<Person[]>([]);
  let groups = $state<Schemas['GroupView'][]>([]);
  /** of them, those whose name holds what is typed */
  let fitting = $state<Schemas['GroupView'][]>([]);
  const shut = () => (known = fitting = []);
  let box = $state<HTMLInputElement>();
  let list = $state<HTMLElement>();

  const put = (address: string) =>
    need(api.POST('/api/v1/packages/{id}/recipients', { params: { path: { id: parcel.id } }, body: { address } }));
  const on = (email: string) => parcel.recipients.some((r) => r.email.toLowerCase() === email.toLowerCase());
  const written = (name: string, email: string) => (name ? `"${name.replace(/["\\]/g, '')}" <${email}>` : email);

  // To press the button is also to leave the field: what is being added is not added again.
  let adding = false;
  async function add(event?: Event) {
    event?.preventDefault();
    if (adding || !typed.trim()) return;
    adding = true;
    shut();
    try {
      await take(await need(api.POST('/api/v1/people/read', { body: { text: typed } })));
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      adding = false;
    }
  }
  async function take(read: Reading[]) {
    problem = '';
    doubtful = read.filter((r) => r.problem || r.meant);
    twice = read.filter((r) => r.twice || (r.email && on(r.email))).length;
    for (const r of read.filter((r) => !r.problem && !r.meant && !r.twice && !on(r.email))) {
      try {
        await put(written(r.name, r.email));
      } catch (thrown) {
        doubtful = [...doubtful, { ...r, problem: words(thrown) }];
      }
    }
    typed = '';
    await reload();
  }
  async function settle(r: Reading, email: string) {
    doubtful = doubtful.filter((d) => d !== r);
    try {
      await put(written(r.name, email));
    } catch (thrown) {
      problem = words(thrown);
    }
    await reload();
    box?.focus();
  }

  // Whoever is in the contact book is found by a part of their name.
  let timer: ReturnType<typeof setTimeout> | undefined;
  let turn = 0;
  function look() {
    clearTimeout(timer);
    const text = typed.trim();
    if (text.length < 2 || /[@,;\n]/.test(text)) {
      shut();
      return;
    }
    timer = setTimeout(async () => {
      const mine = ++turn;
      if (!groups.length) groups = await need(api.GET('/api/v1/groups')).catch(() => []);
      const found = await need(api.GET('/api/v1/people', { params: { query: { text } } })).catch(() => ({
        people: [],
      }));
      if (mine !== turn || typed.trim() !== text) return;
      known = found.people.filter((p) => !on(p.email)).slice(0, 6);
      fitting = groups.filter((g) => g.people && g.name.toLowerCase().includes(text.toLowerCase())).slice(0, 3);
    }, 150);
  }
  /** The server knows a group by its name. */
  function chooseGroup(group: Schemas['GroupView']) {
    typed = group.name;
    void add().then(() => box?.focus());
  }
  async function choose(person: Person) {
    shut();
    typed = '';
    try {
      await put(person.email);
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
    await reload();
    box?.focus();
  }
  function key(event: KeyboardEvent) {
    const open = known.length + fitting.length > 0;
    if (event.key === 'Escape' && open) {
      event.stopPropagation();
      shut();
      box?.focus();
    } else if (event.key === 'ArrowDown' && open && event.target === box) {
      event.preventDefault();
      list?.querySelector('button')?.focus();
    } else if (list && event.target !== box && step(list, event.key)) event.preventDefault();
  }
  function leave(event: FocusEvent) {
    if (list?.contains(event.relatedTarget as Node)) return;
    shut();
    if (typed.includes('@')) void add();
  }
</script>

<div onkeydown={key} role="presentation" class="add">
  <form onsubmit={add}>
    <Field
      aria-label="Add a name or a mail address, or paste a list"
      placeholder="A name, a group or a mail address, or a pasted list"
      autocomplete="off"
      bind:value={typed}
      bind:box
      oninput={look}
      onpaste={(e) => {
        // A column keeps its lines, which a field would join.
        const text = e.clipboardData?.getData('text') ?? '';
        if (!text.includes('\n')) return;
        e.preventDefault();
        typed = text;
        void add();
      }}
      onblur={leave}
    />
    <Button disabled={!typed.trim()}>Add</Button>
  </form>
  {#if known.length || fitting.length}
    <ul class="slip known" bind:this={list} aria-label="In the contact book">
      {#each fitting as g (g.id)}
        <li>
          <button type="button" onclick={() => chooseGroup(g)}
            ><strong>{g.name}</strong>
            <span class="muted">group, {count(g.people, 'person', 'people')}</span></button
          >
        </li>
      {/each}
      {#each known as p (p.id)}
        <li>
          <button type="button" onclick={() => choose(p)}
            ><strong>{p.name}</strong>
            <span class="muted">{p.email}{p.client_name ? `, ${p.client_name}` : ''}</span></button
          >
        </li>
      {/each}
    </ul>
  {/if}
</div>
{#if twice}<p class="muted said" role="status">
    {twice === 1 ? 'One was' : `${twice} were`} there already, and {twice === 1 ? 'is' : 'are'} there once.
  </p>{/if}
{#if doubtful.length}
  <ul class="doubtful" aria-label="Not taken yet">
    {#each doubtful as r, i (i + r.text)}
      <li>
        <span class="late">
          {#if r.meant && !r.problem}<strong>{r.email}</strong> looks mistyped.{:else}{r.problem}{/if}
        </span>
        {#if r.meant && !r.problem}
          <Button look="link" onclick={() => settle(r, r.meant)}>Take {r.meant}</Button>
          <Button look="link" onclick={() => settle(r, r.email)}>It is right</Button>
        {/if}
        <Button look="link" onclick={() => (doubtful = doubtful.filter((d) => d !== r))} aria-label="Leave out {r.text}"
          >Leave out</Button
        >
      </li>
    {/each}
  </ul>
{/if}
{#if problem}<p class="wrong" role="alert">{problem}</p>{/if}

<style>
  .add {
    position: relative;
    margin: var(--s-4) 0 var(--s-3);
  }
  form {
    display: flex;
    gap: var(--s-3);
  }
  .known {
    position: absolute;
    z-index: 9;
    top: 100%;
    left: 0;
    right: 0;
    padding: var(--s-1) 0;
  }
  .known button {
    display: block;
    width: 100%;
    text-align: left;
    padding: var(--s-3) var(--s-6);
    min-height: 34px;
  }
  .known button:is(:hover, :focus-visible) {
    background: var(--main-faint);
  }
  .known strong {
    font-weight: 600;
  }
  .said,
  .doubtful {
    font-size: var(--t-small);
    margin-bottom: var(--s-3);
  }
  .doubtful li {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-1) var(--s-5);
    padding: var(--s-2) 0;
  }
  .doubtful span {
    flex: 1 1 240px;
    overflow-wrap: anywhere;
  }
</style>
