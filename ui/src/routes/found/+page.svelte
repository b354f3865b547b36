<!-- The first start: whoever runs the server founds the studio, with the code from its log. -->
<script lang="ts">
  import '$lib/fonts';
  import { goto } from '$app/navigation';
  import { api, need } from '$api/client';
  import { Form } from '$lib/attempt.svelte';
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
  const form = new Form();
  const fields = ['code', 'studio', 'zone', 'name', 'email', 'password'];

  const found = (event: SubmitEvent) => {
    event.preventDefault();
    return form.send(async () => {
      session.member = await need(api.POST('/api/v1/found', { body: { code, studio, zone, name, email, password } }));
      await goto('/');
    });
  };
</script>

<svelte:head><title>Found a studio · Aftergust</title></svelte:head>

<Frame>
  <h1>Found your studio</h1>
  <form class="ask" onsubmit={found}>
    <Field label="Code from the log" required autocomplete="off" bind:value={code} problem={form.says('code')} />
    <Field
      label="What the studio is called"
      required
      maxlength={80}
      bind:value={studio}
      problem={form.says('studio')}
    />
    <Zones label="Its clock" bind:value={zone} problem={form.says('zone')} />
    <Field label="What you are called" autocomplete="name" required bind:value={name} problem={form.says('name')} />
    <Field
      label="Your mail address"
      type="email"
      autocomplete="username"
      required
      bind:value={email}
      problem={form.says('email')}
    />
    <Field
      label="Password"
      type="password"
      autocomplete="new-password"
      required
      bind:value={password}
      problem={form.says('password')}
    />
    {#if form.problem && !fields.includes(form.at)}<p class="problem" role="alert">{form.problem}</p>{/if}
    <Button look="main" disabled={form.busy}>{form.busy ? 'Founding' : 'Found it'}</Button>
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
