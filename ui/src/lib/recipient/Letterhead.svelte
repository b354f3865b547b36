<!-- The studio's head over everything that a recipient sees. -->
<script lang="ts">
  let { studio }: { studio: string } = $props();
</script>

<div class="letterhead">
  <svg viewBox="0 0 1280 118" preserveAspectRatio="xMidYMax slice" aria-hidden="true">
    <rect width="1280" height="118" fill="#3b4a6b" />
    <circle cx="307" cy="53" r="23" fill="#e8cac2" />
    <path d="M838 18h77l36 44H800z" fill="#f7efe0" />
    <path d="M838 7h77v10h-77z" fill="#8c5a72" />
    <path d="M0 71h1280v47H0z" fill="#2a3557" />
    <path d="M520 92q210-24 420-27t340 2v51H520z" fill="#222c4a" />
    <path d="M0 90q160-7 320 0t320 0t320 0t320 0v28H0z" fill="#2b365a" />
    <path d="M0 101q160-6 320 0t320 0t320 0t320 0v18H0z" fill="#1e2743" />
  </svg>
  <span>{studio}</span>
</div>

<style>
  .letterhead {
    position: relative;
    height: 118px;
    background: var(--sky);
  }
  svg {
    width: 100%;
    height: 100%;
    display: block;
  }
  span {
    position: absolute;
    left: var(--page);
    bottom: 0;
    background: var(--ground);
    border-top: 3px solid var(--buoy);
    padding: var(--s-4) var(--s-7) var(--s-3);
    font: 650 var(--t-large) / 1.25 var(--font-display);
  }
  @media (--narrow) {
    .letterhead {
      height: 76px;
    }
    span {
      left: 16px;
      font-size: var(--t-lead);
      padding: var(--s-2) var(--s-5) var(--s-1);
    }
  }
</style>
