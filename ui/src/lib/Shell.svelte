<!-- The studio's frame: one slim line with the places of the work, and the keys. -->
<script lang="ts">
  import { count } from '$lib/count';
  import Button from '$lib/ui/Button.svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import Keys from '$lib/Keys.svelte';
  import { session } from '$lib/session.svelte';
  import { uploads } from '$lib/uploads.svelte';
  import { live } from '$lib/live.svelte';
  import { notices } from '$lib/notices/notices.svelte';
  import { elsewhere } from '$lib/player/elsewhere.svelte';
  import Mark from '$lib/ui/Mark.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Wait from '$lib/ui/Wait.svelte';
  import SignIn from '$lib/SignIn.svelte';
  import Confirm from '$lib/account/Confirm.svelte';
  import Prove from '$lib/account/Prove.svelte';
  import Undo from '$lib/ui/Undo.svelte';
  import Reach from '$lib/Reach.svelte';
  import Tray from '$lib/tray/Tray.svelte';
  import { span } from '$lib/time';
  import { newPackage } from '$lib/package/new';
  import { onMount } from 'svelte';

  let { children } = $props();
  let keys = $state(false);
  /** on a phone: whether the account is unfolded */
  let account = $state(false);
  const initials = (name: string) =>
    name
      .split(/[ .]+/)
      .map((part) => part[0] ?? '')
      .join('')
      .slice(0, 2);

  const places = [
    { href: '/', name: 'Desk', key: 'd' },
    { href: '/gather', name: 'Gather', key: 'g' },
    { href: '/packages', name: 'Packages', key: 'p' },
  ];
  const here = (href: string) =>
    href === '/'
      ? page.url.pathname === '/'
      : page.url.pathname.startsWith(href) || (href === '/packages' && page.url.pathname.startsWith('/showings'));
  const inRoom = $derived(page.url.pathname.endsWith('/room'));

  /** Somebody is back. Another than before sees nothing of what was open. */
  function again(same: boolean) {
    if (!same) location.assign('/');
  }

  onMount(() => void session.load());
  const signedIn = $derived(Boolean(session.member));
  $effect(() => {
    if (signedIn) void notices.load();
  });
  live(
    () => (signedIn ? '/api/v1/live' : ''),
    (change) => ['notices', 'resync'].includes(change.what) && void notices.load(),
  );
  $effect(() => {
    if (session.member === null && !leaving)
      void goto(`/sign-in?to=${encodeURIComponent(page.url.pathname + page.url.search)}`, { replaceState: true });
    else if (session.member) void uploads.recall(session.member.id);
  });
  let leaving = false;

  function press(event: KeyboardEvent) {
    const target = event.target as HTMLElement;
    if (event.ctrlKey || event.metaKey || event.altKey || target.closest('input, textarea, select, [contenteditable]'))
      return;
    if (!keys && document.querySelector('dialog[open]')) return; // what is typed there is an answer
    if (inRoom) return; // it has keys of its own
    if (event.key === '?') keys = !keys;
    else if (event.key === 'n') newPackage();
    else if (event.key === 'u') uploads.open = !uploads.open;
    else if (event.key === '/' && !page.url.pathname.startsWith('/gather')) goto('/gather?view=below');
    else {
      const place = places.find((p) => p.key === event.key);
      if (!place) return;
      goto(place.href);
    }
    event.preventDefault();
  }

  async function leave() {
    leaving = true;
    elsewhere.end();
    await session.signOut();
    await goto('/sign-in');
  }

  function warn(event: BeforeUnloadEvent) {
    if (uploads.active.length) event.preventDefault();
  }
</script>

<svelte:window onkeydown={press} onbeforeunload={warn} onclick={() => (account = false)} />

{#if session.problem}
  <main class="wide"><Wait of={session} /></main>
{:else if session.member}
  {#if !inRoom}
    <a class="skip" href="#main">Skip to the content</a>
    <header class="noprint">
      <a class="brand" href="/"><Mark /> <span>Aftergust</span></a>
      <nav aria-label="Places">
        {#each places as place (place.href)}
          <a href={place.href} aria-current={here(place.href) ? 'page' : undefined}>{place.name}</a>
        {/each}
      </nav>
      <button
        class="tray figure"
        class:busy={uploads.active.length || uploads.held.length}
        aria-expanded={uploads.open}
        onclick={() => (uploads.open = !uploads.open)}
      >
        {#if uploads.active.length}
          ↑ {uploads.active.length}<span class="long">
            {uploads.active.length === 1 ? 'file' : 'files'}
            {#if uploads.secondsLeft !== null}· {span(uploads.secondsLeft)}{/if}</span
          >
        {:else if uploads.held.length}
          {count(uploads.held.length, 'file waits', 'files wait')}
        {:else}Uploads{/if}
      </button>
      <a class="notices" class:new={notices.unseen} href="/notices" aria-current={here('/notices') ? 'page' : undefined}
        ><span class="name">Notices</span>
        {#if notices.unseen}<span class="count figure">{notices.unseen}{notices.more ? '+' : ''}</span><span
            class="visually-hidden">&nbsp;new</span
          >{/if}</a
      >
      <button
        class="me"
        aria-label="{initials(session.member.name)}, account of {session.member.name}"
        aria-expanded={account}
        onclick={(e) => (e.stopPropagation(), (account = !account))}>{initials(session.member.name)}</button
      >
      <span class="account" class:open={account}>
        <button class="keys" onclick={() => (keys = true)} aria-label="Keys">Keys <kbd class="key">?</kbd></button>
        <a class="who only-narrow" href="/notices" aria-current={here('/notices') ? 'page' : undefined}>Notices</a>
        <a class="who" href="/people" aria-current={here('/people') ? 'page' : undefined}>People</a>
        <a class="who" href="/studio" aria-current={here('/studio') || here('/letterheads') ? 'page' : undefined}
          >Studio</a
        >
        <a class="who" href="/account" aria-current={here('/account') ? 'page' : undefined}>{session.member.name}</a>
        <Button look="link" onclick={leave}>Sign out</Button>
      </span>
    </header>
  {/if}
  {#if session.member.confirm && !inRoom}<Confirm address={session.member.email} />{/if}
  <div id="main">{@render children()}</div>
  <Tray />
  <Undo />
  <Reach />
  <Dialog open={session.ended} title="Your session has ended" size="small" permanent>
    <p class="why">Sign in again and go on: what is on this page is still here, also what you typed.</p>
    <SignIn done={again} />
  </Dialog>
  <Prove />
  <Keys
    bind:open={keys}
    at={page.url.pathname === '/' ? 'desk' : page.url.pathname.startsWith('/gather') ? 'gather' : ''}
  />
{/if}

<style>
  .why {
    margin-bottom: var(--s-6);
  }
  header {
    display: flex;
    align-items: center;
    gap: var(--s-9);
    height: 48px;
    padding: 0 var(--page);
    border-bottom: 1px solid var(--ink);
    background: var(--ground);
  }
  .brand {
    display: inline-flex;
    align-items: center;
    gap: var(--s-3);
    font-family: var(--font-display);
    font-weight: 700;
    font-size: var(--t-large);
    margin-right: var(--s-7);
  }
  nav {
    display: flex;
    gap: var(--s-11);
    margin-right: auto;
    height: 100%;
  }
  nav a {
    display: flex;
    align-items: center;
    border-bottom: 3px solid transparent;
    border-top: 3px solid transparent;
    font-weight: 500;
  }
  nav a:hover {
    color: var(--main);
  }
  nav a[aria-current] {
    border-bottom-color: var(--main);
    font-weight: 600;
  }
  .account {
    display: contents;
  }
  .me {
    display: none;
  }
  .keys {
    color: var(--muted);
    font-size: var(--t-control);
  }
  .tray {
    color: var(--muted);
    min-height: 28px;
  }
  .tray .long {
    margin-left: 1ch;
  }
  .notices {
    display: inline-flex;
    align-items: center;
    gap: var(--s-2);
    min-height: 28px;
    color: var(--muted);
    font-size: var(--t-control);
  }
  .notices.new {
    color: var(--ink);
    font-weight: 600;
  }
  .notices:hover {
    color: var(--main);
  }
  .only-narrow {
    display: none;
  }
  .count {
    min-width: 20px;
    padding: 0 var(--s-1);
    border-radius: 10px;
    background: var(--main);
    color: var(--on-main);
    font-size: var(--t-tiny);
    line-height: 20px;
    text-align: center;
  }
  .tray.busy {
    color: var(--main);
    font-weight: 600;
  }
  .skip {
    position: absolute;
    left: -999px;
    background: var(--surface);
    padding: var(--s-3) var(--s-5);
    z-index: 10;
  }
  .skip:focus {
    left: 8px;
    top: 8px;
  }
  @media (--narrow) {
    header {
      position: relative;
      gap: var(--s-5);
      padding: 0 var(--s-7);
    }
    .brand {
      margin-right: var(--s-1);
    }
    .brand span {
      position: absolute;
      clip-path: inset(50%);
    }
    nav {
      gap: var(--s-7);
    }
    .long,
    .keys {
      display: none;
    }
    .notices:not(.new) {
      display: none;
    }
    .notices .name {
      position: absolute;
      clip-path: inset(50%);
    }
    .only-narrow {
      display: inline;
    }
    .notices {
      min-width: 24px;
      justify-content: center;
    }
    .me {
      display: grid;
      place-items: center;
      width: 32px;
      height: 32px;
      border: 1.5px solid var(--ink);
      border-radius: 50%;
      font-size: var(--t-small);
      font-weight: 600;
    }
    .account {
      display: none;
    }
    .account.open {
      position: absolute;
      z-index: 23;
      right: 12px;
      top: 46px;
      display: grid;
      justify-items: start;
      gap: var(--s-4);
      padding: var(--s-6) var(--s-7);
      background: var(--surface);
      border: 1.5px solid var(--ink);
      border-radius: var(--radius);
    }
  }
</style>
