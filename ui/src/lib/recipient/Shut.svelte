<!-- What is said where nothing can be fetched, and how to ask for it. -->
<script lang="ts">
  import Frame from '$lib/ui/Frame.svelte';
  import type { GuestPage } from '$api/client';
  import Ask from './Ask.svelte';
  import { onClock } from '$lib/time';

  let { title, say, guest, link = '' }: { title: string; say: string; guest?: GuestPage; link?: string } = $props();
</script>

<Frame studio={guest?.studio} banner={guest?.letterhead?.banner}>
  <h1>{title || 'This package is closed'}</h1>
  <p class="say">{say}</p>
  {#if guest}<Ask {guest} {link} />{/if}
  {#snippet beside()}
    <dl>
      {#if guest}
        <dt>from</dt>
        <dd>{guest.sender}, {guest.studio}</dd>
        {#if !guest.anyone}
          <dt>for</dt>
          <dd>{guest.recipient}</dd>
        {/if}
        {#if guest.standing === 'ended' && guest.ends_at}
          <dt>was here</dt>
          <dd>until {onClock(new Date(guest.ends_at))}, on your clock</dd>
        {/if}
        <dt>yours</dt>
        <dd>What you have downloaded stays with you, and opens as before.</dd>
      {:else}
        <dt>the link</dt>
        <dd>It is 22 signs after /r/. Mail programs sometimes cut long links in two.</dd>
        <dt>what to do</dt>
        <dd>Open it from the letter once more, or ask whoever sent it for a new one.</dd>
        <dt>recorded</dt>
        <dd>nothing</dd>
      {/if}
    </dl>
  {/snippet}
</Frame>

<style>
  .say {
    font-size: var(--t-lead);
    margin: var(--s-5) 0 var(--s-3);
    max-width: 48ch;
  }
</style>
