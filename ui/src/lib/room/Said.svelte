<!-- A voice that lies at a note: it plays in place, with its length and waveform. -->
<script lang="ts">
  import type { Attachment } from '$api/client';
  import { short } from '$lib/timecode';
  import Waveform from '$lib/ui/Waveform.svelte';

  let { voice, src, who = '' }: { voice: Attachment; src: string; who?: string } = $props();
  let media = $state<HTMLAudioElement>();
  let paused = $state(true);
  let at = $state(0);
  let failed = $state(false);
  const length = $derived(voice.length_us / 1e6);
  function toggle() {
    if (!media) return;
    if (media.paused) void media.play().catch(() => undefined);
    else media.pause();
  }
</script>

<div class="said">
  <button
    class="turn"
    onclick={toggle}
    aria-label="{paused ? 'Play' : 'Pause'} the voice{who ? ` of ${who}` : ''}, {Math.max(1, Math.round(length))} s"
  >
    <svg width="12" height="14" viewBox="0 0 12 14" aria-hidden="true">
      {#if paused}<path d="M1 1v12l10-6z" fill="currentColor" />
      {:else}<path d="M1 1h3v12H1zM8 1h3v12H8z" fill="currentColor" />{/if}
    </svg>
  </button>
  <span class="wave"
    ><Waveform peaks={voice.peaks} bars={voice.peaks.length || 1} played={length ? at / length : 0} /></span
  >
  <span class="figure muted">{short(paused && at === 0 ? Math.round(length) : at)}</span>
  <audio
    bind:this={media}
    {src}
    preload="none"
    onplay={() => (paused = false)}
    onpause={() => (paused = true)}
    onended={() => (at = 0)}
    ontimeupdate={() => (at = media?.currentTime ?? 0)}
    onerror={() => (failed = true)}
  ></audio>
</div>
{#if failed}<p class="problem" role="alert">The voice is not kept any more.</p>{/if}

<style>
  .said {
    display: flex;
    align-items: center;
    gap: var(--s-4);
    max-width: 360px;
    min-height: 34px;
  }
  .turn {
    display: grid;
    place-items: center;
    width: 32px;
    height: 32px;
    flex: none;
    border: 1px solid var(--edge);
    border-radius: 50%;
  }
  .turn:hover {
    border-color: var(--ink);
  }
  .wave {
    flex: 1;
    height: 30px;
    --main: var(--seen);
  }
  .figure {
    font-size: var(--t-small);
  }
</style>
