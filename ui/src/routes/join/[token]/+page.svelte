<!-- For somebody whom a studio asked to work there: yes or no. -->
<script lang="ts">
  import '$lib/fonts';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { api, need, words, type Schemas } from '$api/client';
  import { Form } from '$lib/attempt.svelte';
  import { session } from '$lib/session.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Frame from '$lib/ui/Frame.svelte';

  const token = $derived(page.params.token ?? '');
  let invited = $state<Schemas['InvitedView']>();
  let gone = $state('');
  let name = $state('');
  let password = $state('');
  const form = new Form();
  let declined = $state(false);

  $effect(() => {
    need(api.POST('/api/v1/join/look', { body: { token } })).then(
      (found) => (invited = found),
      (thrown) => (gone = words(thrown)),
    );
  });
  const join = (event: SubmitEvent) => {
    event.preventDefault();
    return form.send(async () => {
      session.member = await need(api.POST('/api/v1/join', { body: { token, name, password } }));
      await goto('/');
    });
  };
  const decline = async () =>
    (declined = await form.send(() => need(api.POST('/api/v1/join/decline', { body: { token } }))));
</script>

<svelte:head><title>{invited?.studio ?? 'An invitation'} · Aftergust</title></svelte:head>

<Frame>
  {#if declined}
    <h1>You said no</h1>
    <p class="say">{invited?.studio} sees that you declined. Nothing of you is kept but your address in its record.</p>
  {:else if gone}
    <h1>This invitation leads nowhere</h1>
    <p class="say">{gone}</p>
    <Button href="/sign-in">I work here already</Button>
  {:else if invited}
    <h1>Work with {invited.studio}</h1>
    <p class="say">{invited.inviter} asks you to. You sign in with {invited.email}.</p>
    <form class="ask" onsubmit={join}>
      <Field label="What you are called" autocomplete="name" required bind:value={name} problem={form.says('name')} />
      <Field
        label="Password"
        type="password"
        autocomplete="new-password"
        required
        bind:value={password}
        problem={form.at === 'name' ? '' : form.problem}
      />
      <div class="answer">
        <Button look="main" disabled={form.busy || !name || !password}>Join the studio</Button>
        <Button look="link" onclick={decline} disabled={form.busy}>No, thank you</Button>
      </div>
    </form>
  {:else}
    <h1 class="muted">Looking</h1>
  {/if}
  {#snippet beside()}
    <dl>
      <dt>what it means</dt>
      <dd>You see everything that this studio gathered, packed and sent, and do the same in its name.</dd>
      <dt>password</dt>
      <dd>At least 12 characters; four words that do not belong together are good.</dd>
    </dl>
  {/snippet}
</Frame>

<style>
  .answer {
    display: flex;
    align-items: center;
    gap: var(--s-8);
  }
  .say {
    margin: var(--s-6) 0 var(--s-7);
    max-width: 46ch;
  }
</style>
