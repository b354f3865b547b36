<!-- What happened to what one sent, and how often one is written to about it. -->
<script lang="ts">
  import { api, need, words } from '$api/client';
  import { clock, live } from '$lib/live.svelte';
  import InCalendar from '$lib/notices/InCalendar.svelte';
  import Letters from '$lib/notices/Letters.svelte';
  import { leadsTo, notices, type Notice } from '$lib/notices/notices.svelte';
  import Ladder from '$lib/package/Ladder.svelte';
  import { Resource } from '$lib/resource.svelte';
  import { briefly, inFull, onDay } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Tick from '$lib/ui/Tick.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  let whose = $state('mine');
  const page = (after = '') =>
    need(api.GET('/api/v1/notices', { params: { query: { after, everybody: whose === 'all' } } }));
  const list = new Resource(async () => {
    const { notices: all, next } = await page();
    return { all, next };
  });
  const ladder = new Resource(() => need(api.GET('/api/v1/reminders')));
  let problem = $state('');
  let asked = $state('');
  /** what was new when it was first looked at stays marked while the page is open */
  let fresh = $state<number[]>([]);

  async function load() {
    await list.load();
    const all = list.value?.all ?? [];
    fresh = [...fresh, ...all.filter((n) => !n.seen).map((n) => n.id)];
    if (all[0] && notices.unseen) await notices.see(all[0].id).catch(() => undefined);
  }
  void load();
  void ladder.load();
  live('/api/v1/live', (change) => ['notices', 'resync'].includes(change.what) && void load());

  async function more(shown: { all: Notice[]; next: string }) {
    try {
      const older = await page(shown.next);
      list.value = { all: [...shown.all, ...older.notices], next: older.next };
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  async function set(hours: number[]) {
    try {
      ladder.value = await need(api.PUT('/api/v1/reminders', { body: { hours } }));
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
  /** Notices by the day on which they were. */
  const days = (all: Notice[]) => {
    const by: { day: string; of: Notice[] }[] = [];
    for (const n of all) {
      const day = onDay(new Date(n.at));
      if (by.at(-1)?.day !== day) by.push({ day, of: [] });
      by.at(-1)!.of.push(n);
    }
    return by;
  };
</script>

<svelte:head><title>Notices · Aftergust</title></svelte:head>

<main class="wide">
  <div class="headline">
    <h1>Notices</h1>
    <Choice
      label="Whose packages"
      options={[
        { value: 'mine', name: 'For me' },
        { value: 'all', name: 'Of the studio' },
      ]}
      bind:value={whose}
      pick={() => void load()}
    />
  </div>
  <div class="two">
    <div>
      {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
      <Wait of={list} shape="rows">
        {#snippet children(shown)}
          {#each days(shown.all) as { day, of } (day)}
            <section aria-label={day}>
              <h2>{day}</h2>
              {#each of as n (n.id)}
                <a class="row" class:new={fresh.includes(n.id)} href={leadsTo(n)}>
                  <span
                    ><strong>{n.says}</strong><span class="muted">{n.title}</span>{#if fresh.includes(n.id)}<span
                        class="visually-hidden">, new</span
                      >{/if}</span
                  >
                  <time class="figure" datetime={n.at} title={inFull(new Date(n.at))}
                    >{briefly(new Date(n.at), clock.now)}</time
                  >
                </a>
              {/each}
            </section>
          {:else}
            <div class="none">
              <p>
                Here you read what became of what you sent: who has everything, who left notes, what ends soon and lacks
                somebody.
              </p>
              <Button href="/packages">All packages</Button>
            </div>
          {/each}
          {#if shown.next}<Button look="quiet" onclick={() => more(shown)}>Earlier</Button>{/if}
        {/snippet}
      </Wait>
    </div>
    <div class="how">
      <Letters />
      <section aria-labelledby="browser">
        <h2 id="browser">On this computer</h2>
        <Tick
          class="shown"
          checked={notices.shown}
          onchange={async (e) => {
            const box = e.currentTarget as HTMLInputElement;
            asked = await notices.show(box.checked);
            box.checked = notices.shown;
          }}>Show what is new while Aftergust is open in a tab</Tick
        >
        {#if asked}<p class="late" role="status">{asked}</p>{/if}
      </section>
      <InCalendar />
      <section aria-labelledby="ladder">
        <h2 id="ladder">Reminders</h2>
        <p class="muted lead">
          Whoever has not everything is reminded{#if ladder.value}&nbsp;{ladder.value.says}{/if}, by day on their clock.
          Packages that you begin start with these; each can have its own.
        </p>
        <Wait of={ladder} shape="rows">
          {#snippet children(l)}<Ladder hours={l.hours} change={set} label="Reminders of new packages" />{/snippet}
        </Wait>
      </section>
    </div>
  </div>
</main>

<style>
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1.4fr) minmax(0, 1fr);
    gap: 0 var(--s-13);
  }
  section {
    margin-bottom: var(--s-9);
  }
  h2,
  .how :global(h2) {
    font-size: var(--t-lead);
    padding-bottom: var(--s-3);
    border-bottom: 1px solid var(--ink);
  }
  .row {
    display: flex;
    align-items: center;
    gap: var(--s-6);
    padding: var(--s-3) 0 var(--s-3) var(--s-5);
    margin-left: calc(-1 * var(--s-5));
    border-bottom: 1px solid var(--line);
    min-height: 58px;
    border-left: 3px solid transparent;
  }
  .row.new {
    border-left-color: var(--main);
  }
  .row > :first-child {
    flex: 1;
    min-width: 0;
  }
  .row strong,
  .row .muted {
    display: block;
    overflow-wrap: anywhere;
  }
  .row strong {
    font-weight: 600;
  }
  .row .muted {
    font-size: var(--t-small);
  }
  .row:hover strong {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .lead {
    margin: var(--s-3) 0 var(--s-5);
  }
  .how :global(.shown) {
    margin-top: var(--s-5);
  }
  .how :global(section) {
    margin-bottom: var(--s-9);
  }
  .none {
    display: grid;
    justify-items: start;
    gap: var(--s-7);
    border-block: 1px solid var(--ink);
    padding: var(--s-11) 0;
  }
  .none p {
    max-width: 56ch;
  }
  @media (--middle) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
