<script lang="ts">
  import Password from '$lib/account/Password.svelte';
  import Record from '$lib/account/Record.svelte';
  import SignedIn from '$lib/account/SignedIn.svelte';
  import Tokens from '$lib/account/Tokens.svelte';
  import { session } from '$lib/session.svelte';

  /** counts what has changed here, for the record */
  let changed = $state(0);
  const note = () => changed++;
</script>

<svelte:head><title>Account · Aftergust</title></svelte:head>

<main class="wide">
  <div class="headline">
    <div>
      <h1>{session.member?.name}</h1>
      <p class="muted">{session.member?.email}, {session.member?.studio}</p>
    </div>
  </div>
  <div class="two">
    <div>
      <SignedIn {changed} did={note} />
      <Password did={note} />
    </div>
    <div>
      <Tokens did={note} />
      <Record {changed} />
    </div>
  </div>
</main>

<style>
  .two {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: 0 var(--s-13);
  }
  .two :global(section) {
    margin-top: var(--s-9);
  }
  .two :global(h2) {
    font-size: var(--t-lead);
    padding-bottom: var(--s-3);
    border-bottom: 1px solid var(--line);
  }
  @media (--middle) {
    .two {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
