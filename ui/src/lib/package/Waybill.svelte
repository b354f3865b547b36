<script lang="ts">
  import { count } from '$lib/count';
  import Button from '$lib/ui/Button.svelte';
  import type { Package } from '$api/client';
  import { doors } from '$api/kinds';
  import { clock } from '$lib/live.svelte';
  import { inFull, left, onClock } from '$lib/time';
  import Ring from '$lib/ui/Ring.svelte';

  interface Props {
    parcel: Package;
    extend: () => void;
    stop: () => void;
    /** asks for another door */
    change: () => void;
    /** asks for other reminders */
    remind: () => void;
    reopen: boolean;
  }
  let { parcel, extend, stop, change, remind, reopen }: Props = $props();
  const open = $derived(parcel.state === 'out' || parcel.state === 'closing');
  const ends = $derived(parcel.ends_at ? new Date(parcel.ends_at) : null);
  const door = $derived(doors.find((d) => d.name === parcel.door));
  let copied = $state('');
  /** on a narrow screen: whether all of it is shown */
  let unfolded = $state(false);
  /** how many names stand here where there are more; the ledger has them all */
  const few = 6;
  let everybody = $state(false);
  const names = $derived(parcel.recipients.map((r) => r.name));
  const anyone = $derived(parcel.recipients.find((r) => r.anyone));
  async function copy(link: string) {
    await navigator.clipboard.writeText(link);
    copied = link;
  }
</script>

<aside class:late={parcel.state === 'closing'} aria-label="Waybill">
  <Ring state={parcel.state} stopped={parcel.stopped} size={28} large />
  {#if ends && open}
    <p class="left">{left(ends, clock.now)}</p>
    <p class="figure muted"><time datetime={parcel.ends_at} title={inFull(ends)}>left, to {parcel.ends}</time></p>
  {:else if ends}
    <p class="figure muted ended">{parcel.stopped ? 'Stopped by hand. It would have ended' : 'Ended'} {parcel.ends}.</p>
  {/if}
  <div class="acts noprint">
    {#if open}
      <Button onclick={extend}>Extend</Button>
      <Button look="wrong" onclick={stop}>Stop</Button>
    {:else if reopen}
      <Button onclick={extend}>Open again</Button>
    {/if}
  </div>
  <button class="more noprint" aria-expanded={unfolded} onclick={() => (unfolded = !unfolded)}
    >{unfolded ? 'Less of the waybill' : 'Door, weight, versions'}</button
  >
  <dl class:unfolded>
    <dt>Door</dt>
    <dd title={door?.means}>
      {door?.word}
      {#if open}<Button look="link" class="noprint" onclick={change} aria-label="Change the door">Change</Button>{/if}
    </dd>
    <dt>Weight</dt>
    <dd class="figure">{parcel.weight}, {count(parcel.count, 'item')}</dd>
    {#if parcel.sent_at}
      <dt>Sent</dt>
      <dd>{onClock(new Date(parcel.sent_at))}</dd>
    {/if}
    <dt>To</dt>
    <dd>
      {(everybody ? names : names.slice(0, few)).join(', ') || 'nobody any more'}
      {#if names.length > few}<Button look="link" class="noprint" onclick={() => (everybody = !everybody)}
          >{everybody ? 'Fewer' : `and ${names.length - few} more`}</Button
        >{/if}
    </dd>
    <dt>Versions</dt>
    <dd>{parcel.pins ? 'as sent' : 'always the current ones'}</dd>
    {#if open}
      <dt>Reminders</dt>
      <dd>
        {parcel.reminders.length ? parcel.reminded : 'none by themselves'}
        <Button look="link" class="noprint" onclick={remind} aria-label="Change the reminders">Change</Button>
      </dd>
    {/if}
    {#if parcel.ends_when && open}
      <dt>Waits</dt>
      <dd>It ends {parcel.ends_when}, and at the latest then.</dd>
    {/if}
  </dl>
  {#if anyone && open}
    <div class="copy noprint">
      <span class="figure">{anyone.link.replace(/^https?:\/\//, '')}</span>
      <Button onclick={() => copy(anyone.link)}>{copied === anyone.link ? 'Copied' : 'Copy'}</Button>
    </div>
  {/if}
</aside>

<style>
  aside {
    background: var(--surface);
    border-right: 2px dotted var(--perforation);
    padding: var(--s-9) var(--s-8) var(--s-10) var(--page);
  }
  .left {
    font: 650 var(--t-door) / 1.15 var(--font-display);
    letter-spacing: 0.01em;
    margin-top: var(--s-6);
    color: var(--ink);
  }
  .ended {
    margin-top: var(--s-6);
  }
  .acts {
    display: grid;
    gap: var(--s-2);
    margin: var(--s-7) 0 var(--s-8);
  }
  dt {
    font-family: var(--font-mono);
    font-size: var(--t-tiny);
    color: var(--muted);
    margin-top: var(--s-5);
  }
  dd {
    color: var(--ink);
    overflow-wrap: anywhere;
  }
  .copy {
    border-top: 1px solid var(--line);
    margin-top: var(--s-8);
    padding-top: var(--s-6);
    display: grid;
    gap: var(--s-3);
  }
  .copy span {
    overflow-wrap: anywhere;
  }
  .more {
    display: none;
  }
  @media (--below-wide) {
    aside {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: var(--s-1) var(--s-7);
      border-right: 0;
      border-block: 2px dotted var(--perforation);
      padding: var(--s-5) var(--page);
      margin-top: var(--s-6);
    }
    .left {
      font-size: var(--t-large);
      margin: 0;
    }
    .ended {
      margin: 0;
    }
    .acts {
      display: flex;
      gap: var(--s-3);
      margin: var(--s-1) 0;
    }
    .more {
      display: inline-flex;
      min-height: 32px;
      align-items: center;
      color: var(--main);
      font-weight: 600;
      font-size: var(--t-control);
    }
    dl,
    .copy {
      flex: 0 0 100%;
    }
    dl {
      display: none;
    }
    dl.unfolded {
      display: block;
    }
  }
</style>
