<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import '$lib/fonts';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { words } from '$api/client';
  import { session } from '$lib/session.svelte';
  import Mark from '$lib/ui/Mark.svelte';

  let email = $state('');
  let password = $state('');
  let problem = $state('');
  let busy = $state(false);

  async function enter(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      await session.signIn(email, password);
      const to = page.url.searchParams.get('to') ?? '/';
      await goto(to.startsWith('/') && !to.startsWith('//') ? to : '/');
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
</script>

<svelte:head><title>Sign in · Aftergust</title></svelte:head>

<main>
  <p class="brand"><Mark /> Aftergust</p>
  <h1>Sign in to your studio</h1>
  <form onsubmit={enter}>
    <Field id="email" label="Mail address" type="email" autocomplete="username" required bind:value={email} />
    <Field
      id="password"
      label="Password"
      type="password"
      autocomplete="current-password"
      required
      bind:value={password}
    />
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    <Button look="main" disabled={busy}>Sign in</Button>
  </form>
  <p class="muted">Did somebody send you a package? Open the link in their letter; you need no account.</p>
</main>

<style>
  main {
    max-width: 400px;
    margin: 0 auto;
    padding: 12vh 20px 40px;
  }
  .brand {
    display: flex;
    align-items: center;
    gap: 10px;
    font-family: var(--font-display);
    font-weight: 700;
    font-size: var(--t-large);
    border-bottom: 1px solid var(--ink);
    padding-bottom: 12px;
    margin-bottom: 28px;
  }
  form {
    margin: 20px 0 28px;
    display: grid;
    gap: 4px;
  }
  form :global(.field) {
    margin-bottom: 12px;
  }
  form > :global(.button) {
    margin-top: 8px;
  }
</style>
