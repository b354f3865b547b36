<!-- What happens on sending, in one sentence, what speaks against it with what mends it, and how it goes. -->
<script lang="ts">
  import { api, need, words, type Package } from '$api/client';
  import Button from '$lib/ui/Button.svelte';
  import Goes from './Goes.svelte';

  interface Props {
    parcel: Package;
    problem: string;
    /** how many files of this browser are on their way into it */
    coming: number;
    /** is done before it goes */
    before: () => Promise<void>;
    reload: () => Promise<void>;
  }
  let { parcel = $bindable(), problem, coming, before, reload }: Props = $props();
  // What has the focus is not to lie below the part that stays in sight (WCAG 2.2, 2.4.11).
  let tall = $state(0);
  $effect(() => {
    const root = document.documentElement;
    root.style.scrollPaddingBottom = `${tall}px`;
    return () => (root.style.scrollPaddingBottom = '');
  });
  type Warning = Package['warnings'][number];
  let refused = $state('');

  async function mend({ code, recipient }: Warning) {
    try {
      parcel = await need(
        api.POST('/api/v1/packages/{id}/mend', { params: { path: { id: parcel.id } }, body: { code, recipient } }),
      );
      refused = '';
    } catch (thrown) {
      refused = words(thrown);
      await reload();
    }
  }
  // An empty package with files on their way is none to warn of.
  const warnings = $derived(parcel.warnings.filter((w) => w.code !== 'no_items' || !coming));
</script>

<div class="send" bind:clientHeight={tall}>
  <p class="sentence" aria-live="polite">
    {#each parcel.sentence as part, i (i)}{#if part.strong}<strong>{part.text}</strong>{:else}{part.text}{/if}{/each}
  </p>
  <ul aria-label="What to look at before it goes">
    {#each warnings as w, i (w.code + i)}
      <li class:blocks={w.blocks}>
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
        <span>
          {w.text}
          {#if w.mend}<Button look="link" onclick={() => mend(w)}>{w.mend}</Button>{/if}
        </span>
      </li>
    {/each}
  </ul>
  {#if problem || refused}<p class="problem" role="alert">{refused || problem}</p>{/if}
  <Goes bind:parcel {coming} held={warnings.some((w) => w.blocks)} {before} />
</div>

<style>
  /* In reach however long the column above it is, and as wide as that. */
  .send {
    position: sticky;
    bottom: 0;
    z-index: 4;
    background: var(--surface);
    border-top: 1px solid var(--ink);
    margin: var(--s-9) calc(-1 * var(--page)) calc(-1 * var(--s-11));
    padding: var(--s-5) var(--page) var(--s-6);
  }
  ul {
    max-height: 24vh;
    overflow-y: auto;
  }
  @media (--middle) {
    .send {
      position: static;
      margin: var(--s-9) 0 0;
      padding: var(--s-6) 0 0;
    }
    ul {
      max-height: none;
    }
  }
  .sentence {
    font-family: var(--font-display);
    font-size: var(--t-lead);
    line-height: 1.38;
    margin-bottom: var(--s-4);
  }
  .sentence strong {
    font-weight: 700;
  }
  li {
    display: flex;
    gap: var(--s-3);
    align-items: baseline;
    color: var(--late);
    margin-bottom: var(--s-2);
  }
  li svg {
    flex: none;
    transform: translateY(2px);
  }
  li :global(.link) {
    margin-left: var(--s-3);
  }
</style>
