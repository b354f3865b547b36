<!-- The first start: whoever runs the server founds the studio, with the code from its log. -->
<script lang="ts">
  import '$lib/fonts';
  import { goto } from '$app/navigation';
  import { api, need, Problem, words } from '$api/client';
  import { zone as here } from '$lib/time';
  import { session } from '$lib/session.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Frame from '$lib/ui/Frame.svelte';
  import Zones from '$lib/ui/Zones.svelte';

  let code = $state('');
  let studio = $state('');
  let zone = $state(here);
  let name = $state('');
  let email = $state('');
  let password = $state('');
  let problem = $state('');
  let at = $state('');
  let busy = $state(false);
  const says = (field: string) => (at === field ? problem : '');
  const fields = ['code', 'studio', 'zone', 'name', 'email', 'password'];

  async function found(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      session.member = await need(api.POST('/api/v1/found', { body: { code, studio, zone, name, email, password } }));
      await goto('/');
    } catch (thrown) {
      problem = words(thrown);
      at = thrown instanceof Problem ? thrown.at : '';
    } finally {
      busy = false;
    }
  }
</script>

<svelte:head><title>Found a studio · Aftergust</title></svelte:head>

<Frame>
  <h1>Found your studio</h1>
  <form onsubmit={found}>
    <Field label="Code from the log" required autocomplete="off" bind:value={code} problem={says('code')} />
    <Field label="What the studio is called" required maxlength={80} bind:value={studio} problem={says('studio')} />
    <Zones label="Its clock" bind:value={zone} problem={says('zone')} />
    <Field label="What you are called" autocomplete="name" required bind:value={name} problem={says('name')} />
    <Field
      label="Your mail address"
      type="email"
      autocomplete="username"
      required
      bind:value={email}
      problem={says('email')}
    />
    <Field
      label="Password"
      type="password"
      autocomplete="new-password"
      required
      bind:value={password}
      problem={says('password')}
    />
    {#if problem && !fields.includes(at)}<p class="problem" role="alert">{problem}</p>{/if}
    <Button look="main" disabled={busy}>{busy ? 'Founding' : 'Found it'}</Button>
  </form>
  {#snippet beside()}
    <dl>
      <dt>the code</dt>
      <dd>The server wrote it into its log when it started. It is of use until there is a studio.</dd>
      <dt>later</dt>
      <dd>You can change all of this, and invite others.</dd>
      <dt>password</dt>
      <dd>At least 12 characters; four words that do not belong together are good.</dd>
    </dl>
  {/snippet}
</Frame>

<style>
  form {
    display: grid;
    gap: var(--s-1);
    justify-items: stretch;
    max-width: 420px;
    margin-top: var(--s-7);
  }
  form :global(.field),
  form :global(.problem) {
    margin-bottom: var(--s-5);
  }
</style>
