<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type DeskData } from '$api/client';
  import { Resource } from '$lib/resource.svelte';
  import Wait from '$lib/ui/Wait.svelte';
  import Horizon from '$lib/desk/Horizon.svelte';
  import Space from '$lib/desk/Space.svelte';
  import Now from '$lib/seen/Now.svelte';
  import { clock, live } from '$lib/live.svelte';
  import { newPackage } from '$lib/package/new';
  import { briefly, inFull } from '$lib/time';

  const desks = new Resource<DeskData>(() => need(api.GET('/api/v1/desk')));
  const desk = $derived(desks.value);
  let reminded = $state<Record<string, string>>({});

  void desks.load();
  live('/api/v1/live', desks.load);

  const numbers = [
    'No',
    'One',
    'Two',
    'Three',
    'Four',
    'Five',
    'Six',
    'Seven',
    'Eight',
    'Nine',
    'Ten',
    'Eleven',
    'Twelve',
  ];
  const number = (n: number) => numbers[n] ?? String(n);
  const rows = $derived(
    [...(desk?.out ?? [])].sort((a, b) => Date.parse(a.ends_at ?? '') - Date.parse(b.ends_at ?? '')),
  );
  const closing = $derived(rows.filter((r) => r.state === 'closing').length);
  const people = $derived(new Set(desk?.outstanding.map((o) => o.name)).size);
  const lead = $derived(
    [
      closing ? `${number(closing)} ${closing === 1 ? 'ends' : 'end'} within 48 hours.` : '',
      people
        ? `${number(people)} ${people === 1 ? 'person has' : 'people have'} not collected.`
        : rows.length
          ? 'Everyone has what is theirs.'
          : '',
    ].join(' '),
  );
  // Whoever runs out of time first stands first.
  const outstanding = $derived(
    [...(desk?.outstanding ?? [])].sort(
      (a, b) => rows.findIndex((r) => r.id === a.package) - rows.findIndex((r) => r.id === b.package),
    ),
  );

  async function remind(id: string) {
    try {
      await need(api.POST('/api/v1/recipients/{id}/remind', { params: { path: { id } } }));
      reminded[id] = 'Reminded';
    } catch (thrown) {
      reminded[id] = words(thrown);
    }
  }
</script>

<svelte:head><title>Desk · Aftergust</title></svelte:head>

<main class="wide">
  <div class="headline">
    <div>
      <h1>
        {rows.length
          ? `${number(rows.length)} ${rows.length === 1 ? 'package' : 'packages'} out`
          : desk
            ? 'Nothing is out'
            : ' '}
      </h1>
      <p class="muted">{lead || ' '}</p>
    </div>
    <Button look="main" onclick={newPackage}>New package <kbd class="key">N</kbd></Button>
  </div>

  {#if desk && rows.length}
    <Horizon {rows} now={clock.now} changed={desks.load} />
  {:else if desk}
    <div class="empty">
      <p>Here you see every package that is out, until when, and who has it.</p>
      <Button onclick={newPackage}>Send the first one</Button>
    </div>
  {/if}
  <Now />
  <Wait of={desks} shape="page" />

  {#if desk}
    <div class="lists">
      <section aria-labelledby="needs">
        <h2 id="needs">Needs you</h2>
        {#each desk.needs.slice(0, 5) as need, i (`${need.kind} ${need.package} ${need.knock || i}`)}
          <a
            class="row"
            href={need.knock
              ? `/knocks/${need.knock}`
              : need.package
                ? `/packages/${need.package}${need.kind === 'notes' ? '?show=notes' : need.kind === 'changes' || need.kind === 'round' ? '/room' : ''}`
                : '/gather?view=space'}
          >
            <span><strong>{need.saying}</strong><span class="muted">{need.title}</span></span>
            <time class="figure" datetime={need.at} title={inFull(new Date(need.at))}
              >{briefly(new Date(need.at), clock.now)}</time
            >
          </a>
        {:else}
          <p class="none muted">Nothing waits for an answer.</p>
        {/each}
      </section>
      <section aria-labelledby="outstanding">
        <h2 id="outstanding">Outstanding</h2>
        {#each outstanding.slice(0, 5) as o, i (i)}
          <div class="row">
            <a href="/packages/{o.package}"
              ><strong>{o.name}</strong><span class="muted" title={o.saying}>{o.title}{o.brief && `, ${o.brief}`}</span
              ></a
            >
            <span class="figure" class:late={o.state === 'closing'}>{o.left}</span>
            {#if !o.anyone}
              {#if reminded[o.recipient] === 'Reminded'}
                <span class="done">Reminded</span>
              {:else}
                <Button onclick={() => remind(o.recipient)} aria-label="Remind {o.name} of {o.title}">Remind</Button>
              {/if}
            {/if}
          </div>
          {#if reminded[o.recipient] && reminded[o.recipient] !== 'Reminded'}<p class="late said" role="status">
              {reminded[o.recipient]}
            </p>{/if}
        {:else}
          <p class="none muted">Everyone has taken what they were sent.</p>
        {/each}
        {#if outstanding.length > 5}<p class="none muted">and {outstanding.length - 5} more</p>{/if}
      </section>
      <section aria-labelledby="space">
        <h2 id="space">Space</h2>
        <Space {desk} />
      </section>
    </div>
  {/if}
</main>

<style>
  .lists {
    display: grid;
    grid-template-columns: repeat(3, minmax(0, 1fr));
    gap: var(--s-11);
    margin-top: var(--s-8);
  }
  h2 {
    margin-bottom: var(--s-1);
  }
  .row {
    display: flex;
    align-items: center;
    gap: var(--s-6);
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
    min-height: 58px;
  }
  .row > :first-child {
    flex: 1;
    min-width: 0;
  }
  .row strong,
  .row .muted {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .row strong {
    font-weight: 600;
  }
  .row .muted {
    font-size: var(--t-small);
  }
  a.row:hover strong,
  .row a:hover strong {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .done {
    color: var(--main);
    font-weight: 600;
    font-size: var(--t-control);
  }
  .said,
  .none {
    padding: var(--s-3) 0;
  }
  .empty {
    border-block: 1px solid var(--ink);
    padding: var(--s-13) 0;
    display: grid;
    gap: var(--s-6);
    justify-items: start;
  }
  @media (--middle) {
    main {
      padding: var(--s-7) var(--s-7) var(--s-10);
    }
    .headline .key {
      display: none;
    }
    .lists {
      grid-template-columns: 1fr;
      gap: var(--s-9);
    }
  }
</style>
