<!-- Who works in the studio, and whom it asked to. -->
<script lang="ts">
  import { api, need, words, type Schemas } from '$api/client';
  import { roles } from '$api/kinds';
  import { Attempt } from '$lib/attempt.svelte';
  import { clock } from '$lib/live.svelte';
  import { session } from '$lib/session.svelte';
  import { inFull, untilWhen } from '$lib/time';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Row from '$lib/ui/Row.svelte';

  type Studio = Schemas['StudioView'];
  type Role = Studio['members'][number]['role'];
  let { studio, did }: { studio: Studio; did: () => Promise<void> } = $props();
  const runs = $derived(session.member?.runs ?? false);
  const word = (name: string) => roles.find((r) => r.name === name)?.word ?? name;
  const other = (role: Role): Role => (role === 'owner' ? 'member' : 'owner');

  /** without them nobody would run the studio */
  const last = $derived(studio.members.filter((m) => m.role === 'owner').length === 1);

  const attempts = new Attempt(() => did());
  const by = (id: string) => ({ params: { path: { id } } });
  const setRole = (id: string, role: Role) =>
    attempts.run(() => need(api.PATCH('/api/v1/studio/members/{id}', { ...by(id), body: { role } })));
  const withdraw = (id: string) => attempts.run(() => need(api.DELETE('/api/v1/studio/invitations/{id}', by(id))));

  let inviting = $state(false);
  let email = $state('');
  let role = $state<string>('member');
  let problem = $state('');
  let busy = $state(false);
  function begin() {
    email = problem = '';
    role = 'member';
    inviting = true;
  }
  async function invite(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      await need(api.POST('/api/v1/studio/invitations', { body: { email, role: role as Role } }));
      inviting = false;
      await did();
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }

  let leaving = $state<Studio['members'][number]>();
  let asked = $state(false);
  async function remove() {
    const id = leaving?.id ?? '';
    asked = false;
    await attempts.run(() => need(api.DELETE('/api/v1/studio/members/{id}', by(id))));
    if (leaving?.you) await session.load();
  }
</script>

<section aria-label="Members">
  <h2>Members</h2>
  <ul>
    {#each studio.members as one (one.id)}
      <Row title={one.you ? `${one.name}, you` : one.name}>
        {word(one.role)}, <span class="address">{one.email}</span>
        {#snippet acts()}
          {#if runs && !(last && one.role === 'owner')}
            <Button
              look="link"
              onclick={() => setRole(one.id, other(one.role))}
              aria-label="Make {other(one.role)}: {one.name}">Make {other(one.role)}</Button
            >
            <Button look="link" onclick={() => ((leaving = one), (asked = true))} aria-label="Remove {one.name}"
              >Remove</Button
            >
          {/if}
        {/snippet}
      </Row>
    {/each}
    {#each studio.invitations as one (one.id)}
      <Row title={one.email}>
        {#if one.over}<span class="late">did not answer within a week</span>
        {:else}invited by {one.inviter}, may answer until
          <time datetime={one.expires_at} title={inFull(new Date(one.expires_at))}
            >{untilWhen(new Date(one.expires_at), clock.now)}</time
          >{/if}
        {#snippet acts()}
          {#if runs}<Button
              look="link"
              onclick={() => withdraw(one.id)}
              aria-label="Withdraw the invitation of {one.email}">Withdraw</Button
            >{/if}
        {/snippet}
      </Row>
    {/each}
  </ul>
  {#if runs}<Button onclick={begin}>Invite somebody</Button>
  {:else}<p class="muted">Whoever owns the studio invites and removes members.</p>{/if}
  {#if attempts.problem}<p class="problem" role="alert">{attempts.problem}</p>{/if}
</section>

<Dialog bind:open={inviting} title="Invite somebody" size="small">
  <form class="ask" onsubmit={invite}>
    <p>A letter with a link goes to them. They say yes or no there, and choose their own password.</p>
    <Field label="Mail address" type="email" required bind:value={email} {problem} />
    <Choice
      label="What they are"
      options={roles.map((r) => ({ value: r.name, name: r.word, hint: r.means }))}
      bind:value={role}
    />
    <p class="muted">{roles.find((r) => r.name === role)?.means}</p>
    <Button look="main" disabled={busy || !email}>{busy ? 'Sending' : 'Send the invitation'}</Button>
  </form>
</Dialog>

<Dialog bind:open={asked} title="Remove {leaving?.name}" size="small">
  <div class="ask">
    <p>
      {leaving?.you ? 'You are' : `${leaving?.name} is`} signed out at once, and {leaving?.you ? 'your' : 'their'} tokens
      end. What {leaving?.you ? 'you' : 'they'} gathered, packed and sent stays with the studio.
    </p>
    <Button look="wrong" onclick={remove}>Remove from the studio</Button>
  </div>
</Dialog>

<style>
  ul {
    margin-bottom: var(--s-6);
  }
  .ask {
    display: grid;
    justify-items: start;
    gap: var(--s-6);
  }
  .ask > :global(.field) {
    width: 100%;
  }
  .late {
    color: var(--late);
  }
</style>
