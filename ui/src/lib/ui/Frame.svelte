<!-- A page with one thing to do or to read: a waybill on the shore, its stub at the right behind a perforation. A form on it has the class ask. -->
<script lang="ts">
  import type { Snippet } from 'svelte';
  import Mark from './Mark.svelte';

  interface Props {
    /** whose page it is; without, it is Aftergust's own */
    studio?: string;
    /** address of a picture of theirs over the page */
    banner?: string;
    children: Snippet;
    /** what stands on the stub: a list of terms */
    beside?: Snippet;
  }
  let { studio, banner, children, beside }: Props = $props();
</script>

<div class="shore" class:own={!studio}>
  {#if banner}
    <img class="picture banner" src={banner} alt="" />
  {:else}
    <svg class="picture" viewBox="0 0 1280 236" preserveAspectRatio="xMidYMax slice" aria-hidden="true">
      <path class="sky" d="M0 0h1280v236H0z" />
      <circle class="sun" cx="307" cy="108" r="36" />
      <path class="lamp" d="M838 35h77v17h-77z" />
      <path class="tower" d="M845 52h63l44 74H800z" />
      <path class="far" d="M640 137q160-16 330-15t310 5v12H640z" />
      <path class="sea-1" d="M0 137h1280v99H0z" />
      <path class="far" d="M640 137q160-16 330-15t310 5v12H640z" />
      <path class="sea-2" d="M0 166q160-8 320 0t320-2 320 0 320 2v70H0z" />
      <path class="sea-3" d="M0 206q160-10 320-2t320-4 320-2 320 0v38H0z" />
    </svg>
  {/if}
  <main class="card">
    <p class="tab">
      {#if studio}{studio}{:else}<Mark /> Aftergust{/if}
    </p>
    <section class="main">{@render children()}</section>
    {#if beside}<section class="stub" aria-label="About this page">{@render beside()}</section>{/if}
  </main>
</div>

<style>
  .shore {
    min-height: 100vh;
    padding-bottom: var(--s-12);
  }
  .picture {
    display: block;
    width: 100%;
    height: 236px;
  }
  .banner {
    object-fit: cover;
  }
  .sky {
    fill: var(--sky);
  }
  .sun {
    fill: var(--dusk);
  }
  .lamp {
    fill: var(--lamp);
  }
  .tower {
    fill: var(--chalk);
  }
  .far {
    fill: var(--deep-2);
  }
  .sea-1 {
    fill: var(--deep-1);
  }
  .sea-2 {
    fill: var(--deep-2);
  }
  .sea-3 {
    fill: var(--deep-3);
  }
  .card {
    position: relative;
    display: grid;
    grid-template-columns: minmax(0, 1.18fr) minmax(0, 1fr);
    max-width: 1040px;
    margin: calc(var(--s-12) * -1) auto 0;
    background: var(--surface);
    border: 1px solid var(--ink);
    border-radius: var(--radius);
  }
  .card:not(:has(.stub)) {
    grid-template-columns: minmax(0, 1fr);
    max-width: 720px;
  }
  .tab {
    position: absolute;
    left: -1px;
    bottom: 100%;
    display: flex;
    align-items: center;
    gap: var(--s-3);
    padding: var(--s-3) var(--s-7) var(--s-4);
    background: var(--surface);
    border: 1px solid var(--ink);
    border-width: 0 1px 0 1px;
    border-top: 3px solid var(--buoy);
    font-family: var(--font-display);
    font-weight: 650;
    font-size: var(--t-lead);
  }
  .own .tab {
    border-top-color: var(--main);
  }
  .main {
    padding: var(--s-11) var(--s-11) var(--s-12);
    min-height: 340px;
  }
  .main :global(.ask) {
    display: grid;
    gap: var(--s-1);
    justify-items: stretch;
    max-width: 420px;
    margin-top: var(--s-7);
  }
  .main :global(.ask .field),
  .main :global(.ask .problem) {
    margin-bottom: var(--s-5);
  }
  .main :global(h1) {
    font-size: var(--t-door);
    line-height: 1.08;
    overflow-wrap: anywhere;
  }
  .stub {
    padding: var(--s-11) var(--s-11);
    border-left: 2px dotted var(--perforation);
  }
  .stub :global(dl) {
    display: grid;
    grid-template-columns: 84px minmax(0, 1fr);
    gap: var(--s-7) var(--s-5);
    font-size: var(--t-control);
  }
  .stub :global(dt) {
    font-family: var(--font-mono);
    font-size: var(--t-tiny);
    line-height: 1.7;
    color: var(--muted);
  }
  .stub :global(dd) {
    overflow-wrap: anywhere;
  }
  @media (--below-wide) {
    .card {
      margin-inline: var(--page);
    }
  }
  @media (--narrow) {
    .picture {
      height: 132px;
    }
    .card {
      grid-template-columns: minmax(0, 1fr);
      margin: -1px 0 0;
      border-width: 1px 0 0;
      border-radius: 0;
    }
    .tab {
      left: 16px;
    }
    .main {
      padding: var(--s-9) var(--s-7) var(--s-9);
      min-height: 0;
    }
    .main :global(h1) {
      font-size: var(--t-title);
    }
    .stub {
      padding: var(--s-8) var(--s-7) var(--s-9);
      border-left: 0;
      border-top: 2px dotted var(--perforation);
    }
  }
</style>
