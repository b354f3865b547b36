<script lang="ts">
  import Password from '$lib/account/Password.svelte';
  import Second from '$lib/account/Second.svelte';
  import SignedIn from '$lib/account/SignedIn.svelte';
  import Tokens from '$lib/account/Tokens.svelte';
  import { session } from '$lib/session.svelte';
  import Pair from '$lib/ui/Pair.svelte';

  /** counts what has changed here, for the list of browsers */
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
  <Pair>
    {#snippet left()}
      <SignedIn {changed} did={note} />
      <Password did={note} />
    {/snippet}
    {#snippet right()}
      <Second />
      <Tokens />
    {/snippet}
  </Pair>
</main>
