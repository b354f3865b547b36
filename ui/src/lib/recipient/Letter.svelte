<!-- What it is, from whom, until when, and the one obvious button. -->
<script lang="ts">
  import Button from '$lib/ui/Button.svelte';
  import { api, need, words, type GuestPage } from '$api/client';
  import { clock } from '$lib/live.svelte';
  import { inFull, left, span, untilWhen, zone } from '$lib/time';
  import type { Taking } from './taking.svelte';

  let { guest, link, taking, note }: { guest: GuestPage; link: string; taking: Taking; note: () => void } = $props();

  const rights = $derived(guest.rights ?? []);
  const may = (verb: GuestPage['rights'][number]) => rights.includes(verb);
  // How long it takes here: what the pictures of this page came at, once there were enough of them.
  let here = $state('');
  $effect(() => {
    const size = guest.size;
    const look = () => {
      const got = performance
        .getEntriesByType('resource')
        .filter((e) => e.name.includes('/look/')) as PerformanceResourceTiming[];
      const bytes = got.reduce((sum, e) => sum + e.encodedBodySize, 0);
      const ms = got.reduce((sum, e) => sum + e.responseEnd - e.responseStart, 0);
      if (bytes > 200_000 && ms > 20) here = span((size * ms) / bytes / 1000);
    };
    const timer = setInterval(look, 2000);
    return () => clearInterval(timer);
  });
  const ends = $derived(guest.ends_at ? new Date(guest.ends_at) : null);

  /** on a phone: the button has scrolled out of sight, and stands at the bottom instead */
  let away = $state(false);
  function inSight(box: HTMLElement) {
    if (typeof IntersectionObserver === 'undefined') return;
    const watch = new IntersectionObserver(([seen]) => (away = !!seen && !seen.isIntersecting));
    watch.observe(box);
    return () => watch.disconnect();
  }

  // A few are named in the address itself; more than that are told to the studio first.
  const named = 40;
  let problem = $state('');
  let more = $state(false);
  let copying = $state(false);
  async function take(event: MouseEvent) {
    taking.took(guest.archive_name, guest);
    if (taking.chosen.length <= named) return;
    event.preventDefault();
    const path = { params: { path: { link } }, body: { items: taking.chosen } };
    try {
      location.assign((await need(api.POST('/api/v1/r/{link}/choose', path))).address);
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
  }
</script>

<section class="letter" aria-label="The package" class:away>
  <h1>{guest.title}</h1>
  <p class="muted">From {guest.sender}{guest.anyone ? '' : `, for you, ${guest.recipient}`}</p>
  {#if guest.cover_letter}<p class="cover">{guest.cover_letter}</p>{/if}
  {#if ends}
    <div class="until" class:late={guest.state === 'closing'}>
      <svg
        width="26"
        height="26"
        viewBox="0 0 24 24"
        fill="none"
        stroke="currentColor"
        stroke-width="2.2"
        aria-hidden="true"
      >
        <circle
          cx="12"
          cy="12"
          r="9"
          stroke-dasharray="{guest.state === 'closing' ? 50 : 35} 60"
          stroke-linecap="round"
          transform="rotate(18 12 12)"
        />
      </svg>
      <p>
        <strong
          ><time datetime={guest.ends_at} title={inFull(ends)}>Here until {untilWhen(ends, clock.now)}</time></strong
        ><br />
        <span
          >{left(ends, clock.now)} left, on your clock in {zone.split('/').at(-1)?.replace(/_/g, ' ')}.
          <a href="/r/{link}/ends.ics" download>Into my calendar</a></span
        >
      </p>
    </div>
  {/if}
  {#if may('take') && guest.archive}
    <div class="one" {@attach inSight}>
      {#if taking.choosing && taking.chosen.length}
        <Button
          look="main"
          class="everything"
          href="{guest.archive}&only={taking.chosen.slice(0, named).join(',')}"
          download={guest.archive_name}
          onclick={take}
        >
          <span>Download {taking.chosen.length === 1 ? 'this one' : `these ${taking.chosen.length}`} as one ZIP</span>
        </Button>
      {:else}
        <Button
          look="main"
          class="everything"
          href={guest.archive}
          download={guest.archive_name}
          onclick={() => taking.took(guest.archive_name, guest)}
        >
          <span>Download everything</span><span class="figure">{guest.weight}</span>
        </Button>
      {/if}
    </div>
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <p class="figure muted small">
      {#if taking.outdated(guest)}What is here has changed since. What you began is finished as it was begun; download
        again for what is newer.
      {:else if taking.began}Your browser saves it as {taking.began}, usually in Downloads. If it breaks off, it goes on
        where it stopped.
      {:else}One ZIP, about {here ? `${here} on this line` : `${guest.estimate} at 50 Mbit/s`}.<br />If it breaks off,
        it goes on where it stopped.{/if}
    </p>
  {:else}
    <p class="muted small">
      You may {may('note') ? 'look and leave notes' : 'look'}; {guest.sender} has not opened it for download.
    </p>
  {/if}
  <p class="acts">
    {#if may('take') && guest.items.length > 1}<Button
        look="link"
        onclick={() => taking.choose()}
        aria-pressed={taking.choosing}>{taking.choosing ? 'Choose none' : 'Choose some'}</Button
      >{/if}
    {#if may('note') && guest.items.length}<Button look="link" onclick={note}>Leave a note</Button>{/if}
    {#if may('take') && guest.archive}<Button look="link" onclick={() => (more = !more)} aria-expanded={more}
        >Other ways</Button
      >{/if}
    {#if guest.keeper}<Button look="link" onclick={() => (copying = !copying)} aria-expanded={copying}
        >Keep a copy</Button
      >{/if}
  </p>
  {#if copying}
    {#await import('./Copy.svelte') then { default: Copy }}<Copy {guest} {link} chosen={taking.chosen} />{/await}
  {/if}
  {#if more}
    {#await import('./Along.svelte') then { default: Along }}<Along {guest} {link} {taking} />{/await}
  {/if}
</section>

<style>
  .one {
    min-height: 48px;
  }
  @media not (--middle) {
    .letter {
      position: sticky;
      top: 24px;
      align-self: start;
      max-height: calc(100dvh - 48px);
      overflow: auto;
      padding: var(--s-0);
      margin: calc(var(--s-0) * -1);
    }
  }
  @media (--middle) {
    .away .one > :global(.everything) {
      position: fixed;
      z-index: 8;
      left: 0;
      bottom: 0;
      border-radius: 0;
      min-height: 56px;
      padding-bottom: calc(var(--s-3) + env(safe-area-inset-bottom));
    }
  }
  .cover {
    margin-top: var(--s-6);
    white-space: pre-line;
    overflow-wrap: anywhere;
  }
  .until {
    display: flex;
    gap: var(--s-5);
    align-items: center;
    border-block: 1px solid var(--line);
    padding: var(--s-5) 0;
    margin: var(--s-7) 0;
    color: var(--main);
  }
  .until a {
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .until strong {
    font-weight: 600;
    color: var(--ink);
  }
  .until span {
    font-size: var(--t-small);
  }
  .late {
    color: var(--late);
  }
  div :global(.everything) {
    width: 100%;
    justify-content: space-between;
    min-height: 48px;
    font-size: var(--t-lead);
    padding: var(--s-3) var(--s-7);
  }
  div :global(.everything .figure) {
    font-size: var(--t-lead);
  }
  .small {
    font-size: var(--t-tiny);
    line-height: 1.5;
    margin-top: var(--s-3);
    overflow-wrap: anywhere;
  }
  .acts {
    display: flex;
    gap: var(--s-8);
    margin: var(--s-7) 0;
  }
</style>
