<!-- Webhooks: which programs are told of what happens, and what became of each message. -->
<script lang="ts">
  import { api, need, type Schemas } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import Edit from '$lib/hooks/Edit.svelte';
  import Hook from '$lib/hooks/Hook.svelte';
  import { Resource } from '$lib/resource.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  const all = new Resource(async () => (await need(api.GET('/api/v1/hooks'))) ?? []);
  void all.load();
  const attempts = new Attempt(() => all.load());
  let editing = $state(false);
  let edited = $state<Schemas['HookView']>();
  function edit(hook?: Schemas['HookView']) {
    edited = hook;
    editing = true;
  }
</script>

<svelte:head><title>Webhooks · Aftergust</title></svelte:head>

<main class="wide">
  <div class="headline">
    <div>
      <p class="back"><a href="/studio">Studio</a></p>
      <h1>Webhooks</h1>
      <p class="muted">Programs of yours are told what happens, by signed messages to an address.</p>
    </div>
    {#if all.value?.length}<Button look="main" onclick={() => edit()}>Tell another program</Button>{/if}
  </div>
  {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
  <Wait of={all} shape="rows">
    {#snippet children(list)}
      {#each list as hook (hook.id)}
        <Hook {hook} edit={() => edit(hook)} did={all.load} attempt={attempts.run} />
      {:else}
        <div class="empty">
          <p>
            No program is told yet. Whoever has everything, leaves a note or asks to be let in can be told to a program
            of yours the moment it happens, as a message that only this server can have signed.
          </p>
          <Button look="main" onclick={() => edit()}>Tell a program</Button>
        </div>
      {/each}
    {/snippet}
  </Wait>
</main>

<Edit bind:open={editing} hook={edited} did={all.load} />

<style>
  .back {
    font-size: var(--t-small);
  }
  .back a {
    color: var(--muted);
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  .empty {
    border-block: 1px solid var(--ink);
    padding: var(--s-12) 0;
    display: grid;
    gap: var(--s-7);
    justify-items: start;
  }
  .empty p {
    max-width: 62ch;
  }
</style>
