<!-- Finished work on its page: one piece below another, or one large with the running order beside it. -->
<script lang="ts">
  import type { Schemas } from '$api/client';
  import { count } from '$lib/count';
  import { short } from '$lib/timecode';
  import Piece from './Piece.svelte';

  let { page, framed = false }: { page: Schemas['PageView']; framed?: boolean } = $props();
  type Shown = Schemas['ShownView'];

  let at = $state('');
  let follows = $state(false);
  const place = $derived(
    Math.max(
      0,
      page.pieces.findIndex((p) => p.id === at),
    ),
  );
  const large = $derived(page.pieces[place]);
  function pick(piece: Shown | undefined, byItself = false) {
    if (!piece) return;
    at = piece.id;
    follows = byItself;
  }
  const next = () => pick(page.pieces[place + 1], true);
  /** how long it is, in the way of its kind */
  const about = (piece: Shown) =>
    piece.facts.length_us
      ? short(Math.round(piece.facts.length_us / 1_000_000))
      : piece.pages > 1
        ? count(piece.pages, 'page')
        : '';
  /** A film or still is no wider than what is in sight lets it be high. */
  const wide = ({ facts }: Shown) =>
    facts.width && facts.height ? `calc(68vh * ${facts.width / facts.height})` : undefined;
  const number = (n: number) => String(n + 1).padStart(2, '0');
</script>

<main class:framed>
  {#if !framed || page.layout === 'scroll'}
    <header>
      <h1>{page.title}</h1>
      {#if page.words}<p class="words">{page.words}</p>{/if}
    </header>
  {/if}
  {#if !page.pieces.length}
    <p class="muted">There is nothing on this page at the moment.</p>
  {:else if page.layout === 'stage' && large}
    <div class="stage">
      <div class="large">
        {#key large.id}<Piece piece={large} play={follows} ended={next} />{/key}
        {@render title(large, place)}
      </div>
      <nav aria-label="Running order">
        <p class="muted">{count(page.pieces.length, 'piece')}</p>
        <ol>
          {#each page.pieces as piece, n (piece.id)}
            <li>
              <button aria-current={piece.id === large.id ? 'true' : undefined} onclick={() => pick(piece)}>
                <span class="figure n">{number(n)}</span>
                <span class="title">{piece.title}</span>
                <span class="figure muted">{about(piece)}</span>
              </button>
            </li>
          {/each}
        </ol>
      </nav>
    </div>
  {:else}
    {#each page.pieces as piece, n (piece.id)}
      <article style:max-width={wide(piece)}>
        <Piece {piece} />
        {@render title(piece, n)}
      </article>
    {/each}
  {/if}
</main>

{#snippet title(piece: Shown, n: number)}
  <h2>
    <span class="figure n">{number(n)}</span>
    <span class="title">{piece.title}</span>
    <span class="figure muted long">{about(piece)}</span>
  </h2>
{/snippet}

<style>
  main {
    max-width: 1240px;
    margin: 0 auto;
    padding: var(--s-11) var(--page) var(--s-13);
  }
  main.framed {
    padding: var(--s-5);
    max-width: none;
  }
  header {
    max-width: 44rem;
    margin-bottom: var(--s-11);
  }
  h1 {
    font: 650 var(--t-door) / 1.1 var(--font-display);
    overflow-wrap: anywhere;
  }
  .words {
    margin-top: var(--s-5);
    font-size: var(--t-lead);
    white-space: pre-line;
  }
  article {
    margin-bottom: var(--s-13);
  }
  h2 {
    display: flex;
    align-items: baseline;
    gap: var(--s-5);
    font: 600 var(--t-large) / 1.25 var(--font-display);
    margin-top: var(--s-5);
    overflow-wrap: anywhere;
  }
  .n {
    color: var(--main);
    font-size: var(--t-control);
  }
  h2 .title {
    flex: 1;
  }
  .long {
    font-size: var(--t-small);
    font-weight: 400;
  }
  .stage {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(220px, 300px);
    gap: var(--s-11);
    align-items: start;
  }
  nav > p {
    padding-bottom: var(--s-3);
    border-bottom: 1px solid var(--ink);
    font-size: var(--t-small);
  }
  ol {
    max-height: 72vh;
    overflow-y: auto;
  }
  button {
    display: flex;
    align-items: baseline;
    gap: var(--s-5);
    width: 100%;
    min-height: 44px;
    padding: var(--s-4) 0;
    text-align: left;
    border-bottom: 1px solid var(--line);
  }
  .title {
    flex: 1;
    overflow-wrap: anywhere;
  }
  button[aria-current] .title,
  button:hover .title {
    color: var(--main);
    font-weight: 600;
  }
  @media (--narrow) {
    main {
      padding: var(--s-8) var(--s-7) var(--s-11);
    }
    header {
      margin-bottom: var(--s-8);
    }
    h1 {
      font-size: var(--t-title);
    }
    article {
      margin-bottom: var(--s-10);
    }
    .stage {
      grid-template-columns: minmax(0, 1fr);
      gap: var(--s-7);
    }
  }
</style>
