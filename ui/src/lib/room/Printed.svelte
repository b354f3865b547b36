<!-- The notes of an item on paper: each with the picture of its frame, what is drawn on it, and what was answered. -->
<script lang="ts">
  import { page as address } from '$app/state';
  import { inFull } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Skeleton from '$lib/ui/Skeleton.svelte';
  import Overlay from './Overlay.svelte';
  import { Review, type Laid } from './review.svelte';
  import type { Seat } from './seat';
  import { untrack } from 'svelte';

  let { seat, back }: { seat: Seat; back: string } = $props();
  const review = untrack(() => new Review(seat));
  const item = $derived(address.url.searchParams.get('item') ?? '');
  const version = $derived(address.url.searchParams.get('version') ?? '');
  $effect(() => {
    if (item) void review.load(item, version);
  });
  const room = $derived(review.room);
  const pictured = (n: Laid) => {
    if (!room) return '';
    if (room.item.what === 'film') return n.here.when ? seat.frame(n.id) : '';
    if (room.item.pages) return `${room.item.look}page-${n.here.page ?? 1}`;
    return '';
  };
  const most = 300; // pictures on one print; what is more goes out as CSV
</script>

<svelte:head><title>Notes on {room?.item.name ?? ''}</title></svelte:head>
<main class="printed">
  <p class="noprint">
    <a href={back}>‹ Back to the Room</a>
    <Button look="main" onclick={() => print()}>Print</Button>
  </p>
  {#if !item}<p>No item was chosen. Open one in the Room and print its notes from there.</p>
  {:else if review.problem}<p class="problem" role="alert">{review.problem}</p>
  {:else if !room}<Skeleton shape="page" />
  {:else}
    <h1>{room.item.name}</h1>
    <p class="muted">
      Version {room.item.number}, {review.open} open of {review.all.length} notes, as of {inFull(new Date())}{review.all
        .length > most
        ? `; the first ${most}`
        : ''}
    </p>
    {#each review.all.slice(0, most) as n, i (n.id)}
      <article class:done={n.done}>
        <div class="frame">
          {#if pictured(n)}
            <img src={pictured(n)} alt="" loading="eager" />
            <Overlay note={n} draft={{}} tool="" colour={0} draw={() => undefined} />
          {/if}
        </div>
        <div>
          <p>
            <span class="figure number">{i + 1}</span>
            <strong class="figure">{n.label}{n.here.when === 'span' ? ` – ${n.untilLabel}` : ''}</strong>
            {n.author}
            <span class="muted">{inFull(new Date(n.at))}</span>
            {#if n.done}<span>done ✓</span>{/if}
            {#if n.private}<span class="muted">only the studio</span>{/if}
          </p>
          <p class="words">{n.says}</p>
          {#if n.carried}<p class="muted">From version {n.number}: {n.carried.says}</p>{/if}
          {#each n.answers as a (a.id)}<p class="answer"><strong>{a.author}</strong> {a.says}</p>{/each}
        </div>
      </article>
    {:else}<p>There are no notes on it.</p>{/each}
  {/if}
</main>

<style>
  .printed {
    max-width: 960px;
    margin: 0 auto;
    padding: var(--s-9) var(--s-8);
  }
  .noprint {
    display: flex;
    justify-content: space-between;
    align-items: center;
    margin-bottom: var(--s-7);
  }
  h1 {
    font-size: var(--t-title);
  }
  article {
    display: grid;
    grid-template-columns: 260px 1fr;
    gap: var(--s-8);
    padding: var(--s-6) 0;
    border-top: 1px solid var(--line);
    break-inside: avoid;
  }
  .frame {
    position: relative;
    align-self: start;
  }
  .frame img {
    display: block;
    width: 100%;
    border-radius: var(--radius);
  }
  .number {
    display: inline-block;
    min-width: 2ch;
    color: var(--muted);
  }
  .words {
    font-size: var(--t-lead);
    white-space: pre-line;
    overflow-wrap: anywhere;
    margin: var(--s-2) 0;
  }
  .done .words {
    color: var(--muted);
  }
  .answer {
    border-left: 2px solid var(--line);
    padding-left: var(--s-4);
    margin-top: var(--s-2);
  }
  @media (--narrow) {
    article {
      grid-template-columns: 1fr;
    }
  }
  @media print {
    .noprint {
      display: none;
    }
    .printed {
      padding: 0;
    }
  }
</style>
