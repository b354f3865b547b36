<!-- The sound that goes on while one looks at something else, at the foot of the window. -->
<script lang="ts">
  import { live } from '$lib/live.svelte';
  import { short } from '$lib/timecode';
  import { elsewhere } from './elsewhere.svelte';

  live(
    () => elsewhere.sound?.live ?? '',
    (change) => {
      const ends = change.package === elsewhere.sound?.package && ['waybill', 'contents'].includes(change.what);
      if (ends || change.what === 'resync') void elsewhere.still();
    },
  );
</script>

{#if elsewhere.sound}
  {@const sound = elsewhere.sound}
  <div class="elsewhere noprint" role="group" aria-label="It goes on playing">
    <button class="play" onclick={() => elsewhere.toggle()}>{elsewhere.paused ? 'Play' : 'Pause'}</button>
    <a href={sound.href} title="Back to the Room">{sound.name}</a>
    <span class="figure">{short(elsewhere.seconds)}</span>
    <button class="end" onclick={() => elsewhere.end()} aria-label="End {sound.name}">×</button>
  </div>
{/if}

<style>
  .elsewhere {
    position: fixed;
    left: var(--s-6);
    bottom: calc(var(--s-6) + env(safe-area-inset-bottom));
    z-index: 25;
    display: flex;
    align-items: center;
    gap: var(--s-5);
    max-width: min(420px, calc(100vw - 2 * var(--s-6)));
    min-height: 44px;
    padding: 0 var(--s-3) 0 var(--s-5);
    background: var(--surface);
    color: var(--ink);
    border: 1.5px solid var(--ink);
    border-radius: var(--radius);
    font-size: var(--t-control);
  }
  a {
    min-width: 0;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    text-decoration: underline;
    text-underline-offset: 4px;
  }
  .play {
    font-weight: 600;
    min-width: 46px;
    min-height: 30px;
    text-align: left;
    color: var(--main);
  }
  .end {
    min-width: 30px;
    min-height: 30px;
    font-size: var(--t-large);
    line-height: 1;
  }
  @media (--phone) {
    .elsewhere {
      left: 0;
      right: 0;
      bottom: 0;
      max-width: none;
      min-height: 56px;
      padding-bottom: env(safe-area-inset-bottom);
      border-width: 1.5px 0 0;
      border-radius: 0;
    }
    .end {
      min-width: 44px;
      min-height: 44px;
      margin-left: auto;
    }
  }
</style>
