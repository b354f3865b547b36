<!-- Somebody asks to be let in: who, into what, and the answer. A letter leads here with the answer in its address. -->
<script lang="ts">
  import { page } from '$app/state';
  import { api, need, words, type Schemas } from '$api/client';
  import { Resource } from '$lib/resource.svelte';
  import { inFull, onClock } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Wait from '$lib/ui/Wait.svelte';

  const id = $derived(page.params.id ?? '');
  const knock = new Resource<Schemas['KnockView']>(() =>
    need(api.GET('/api/v1/knocks/{id}', { params: { path: { id } } })),
  );
  let problem = $state('');
  let busy = $state(false);

  async function answer(let_in: boolean) {
    busy = true;
    try {
      knock.value = await need(api.POST('/api/v1/knocks/{id}/answer', { params: { path: { id } }, body: { let_in } }));
      problem = '';
    } catch (thrown) {
      problem = words(thrown);
    }
    busy = false;
  }
  $effect(() => {
    if (!id) return;
    void knock.load().then(() => {
      const said = page.url.searchParams.get('answer');
      if (said && knock.value && !knock.value.answered) void answer(said === 'in');
    });
  });
  const means = (k: Schemas['KnockView']) =>
    ({
      ended: 'It has ended. Letting them in opens it for a week, for everyone on the waybill.',
      stopped: 'You stopped it. Letting them in opens it for a week, for everyone on the waybill.',
      cleared: 'Its files are deleted, so there is nothing to let them into. Send it again.',
      removed: 'They were taken off the waybill. Letting them in puts them back.',
      need_passphrase: 'They have not the passphrase. Letting them in opens it on the device they ask from.',
      need_code: 'They cannot get the code. Letting them in opens it on the device they ask from.',
    })[k.reason as string] ?? '';
</script>

<svelte:head><title>Asks to be let in · Aftergust</title></svelte:head>

<main class="wide">
  <Wait of={knock} shape="page">
    {#snippet children(k)}
      <div class="ask">
        <h1>{k.name} asks for {k.title}</h1>
        <p class="muted">
          {k.email ? `${k.email}, ` : ''}<time datetime={k.asked_at} title={inFull(new Date(k.asked_at))}
            >{onClock(new Date(k.asked_at))}</time
          >
        </p>
        {#if k.message}<blockquote>“{k.message}”</blockquote>{/if}
        {#if k.answered}
          <p class="done" role="status">
            {k.let_in
              ? `${k.name} is let in. Their page opens by itself.`
              : `${k.name} was not let in, and their page says so.`}
          </p>
          <Button href="/packages/{k.package}">Open the package</Button>
        {:else}
          <p>{means(k)}</p>
          {#if !k.email}<p class="late">They came by a link for anyone: who they are is only what they say.</p>{/if}
          <div class="acts">
            <Button look="main" onclick={() => answer(true)} disabled={busy || k.reason === 'cleared'}
              >Let them in</Button
            >
            <Button onclick={() => answer(false)} disabled={busy}>Not this time</Button>
            <Button look="link" href="/packages/{k.package}">Open the package</Button>
          </div>
        {/if}
        {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
      </div>
    {/snippet}
  </Wait>
</main>

<style>
  .ask {
    background: var(--surface);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    max-width: 640px;
    margin: var(--s-11) auto 0;
    padding: var(--s-9);
    display: grid;
    gap: var(--s-5);
    justify-items: start;
  }
  h1 {
    font-size: var(--t-title);
    overflow-wrap: anywhere;
  }
  blockquote {
    font-size: var(--t-lead);
    font-style: italic;
    overflow-wrap: anywhere;
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-4) var(--s-7);
    margin-top: var(--s-4);
  }
  .done {
    color: var(--main);
    font-weight: 600;
  }
</style>
