<!-- The studio's head over everything that a recipient sees: its own picture and colours, or the sea. -->
<script lang="ts">
  import type { GuestPage } from '$api/client';

  let { studio, head }: { studio: string; head?: GuestPage['letterhead'] } = $props();
</script>

<div class="letterhead" class:own={head?.banner} style:--wide={head?.wide} style:--phone={head?.phone}>
  {#if head?.banner}
    <img class="banner" src={head.banner} alt="" />
  {:else}
    <svg viewBox="0 0 1280 118" preserveAspectRatio="xMidYMax slice" aria-hidden="true">
      <path d="M838 18h77l36 44H800z" fill="#f7efe0" fill-opacity=".92" />
      <path d="M838 7h77v10h-77z" fill="#f7efe0" fill-opacity=".4" />
      <circle cx="307" cy="53" r="23" fill="#f7efe0" fill-opacity=".8" />
      <path d="M0 71h1280v47H0z" opacity=".35" />
      <path d="M520 92q210-24 420-27t340 2v51H520z" opacity=".25" />
      <path d="M0 90q160-7 320 0t320 0t320 0t320 0v28H0z" opacity=".2" />
      <path d="M0 101q160-6 320 0t320 0t320 0t320 0v18H0z" opacity=".35" />
    </svg>
  {/if}
  <span
    >{#if head?.logo}<img class="logo" src={head.logo} alt={studio} />{:else}{studio}{/if}</span
  >
</div>

<style>
  .letterhead {
    position: relative;
    height: 118px;
    background: var(--band);
  }
  .own {
    height: 190px;
  }
  svg,
  .banner {
    width: 100%;
    height: 100%;
    display: block;
  }
  .banner {
    object-fit: cover;
    object-position: var(--wide);
  }
  span {
    position: absolute;
    left: var(--page);
    bottom: 0;
    background: var(--ground);
    border-top: 3px solid var(--main);
    padding: var(--s-4) var(--s-7) var(--s-3);
    font: 650 var(--t-large) / 1.25 var(--font-display);
  }
  .logo {
    display: block;
    height: 44px;
    max-width: 220px;
    object-fit: contain;
  }
  @media (--narrow) {
    .letterhead {
      height: 76px;
    }
    .own {
      height: 128px;
    }
    .banner {
      object-position: var(--phone);
    }
    span {
      left: 16px;
      font-size: var(--t-lead);
      padding: var(--s-2) var(--s-5) var(--s-1);
    }
    .logo {
      height: 32px;
      max-width: 160px;
    }
  }
</style>
