<script lang="ts">
  import Field from '$lib/ui/Field.svelte';
  import Button from '$lib/ui/Button.svelte';
  import { api, need, type Package, type Recipient } from '$api/client';
  import { Attempt } from '$lib/attempt.svelte';
  import Rights from '$lib/ui/Rights.svelte';

  let { parcel, reload }: { parcel: Package; reload: () => Promise<void> } = $props();
  let typed = $state('');

  const attempts = new Attempt(() => reload());
  const attempt = attempts.run;

  // One address, or a pasted list parted by commas, semicolons or lines. To press
  // the button is also to leave the field: what is being added is not added again.
  let adding = false;
  async function add(event?: Event) {
    event?.preventDefault();
    if (adding) return;
    adding = true;
    try {
      await addTyped();
    } finally {
      adding = false;
    }
  }
  async function addTyped() {
    const addresses = typed
      .split(/[\n;,]+/)
      .map((a) => a.trim())
      .filter(Boolean);
    for (const address of addresses) {
      await attempt(async () => {
        await need(
          api.POST('/api/v1/packages/{id}/recipients', {
            params: { path: { id: parcel.id } },
            body: { address, rights: ['see', 'note', 'take'] },
          }),
        );
        typed = typed.replace(address, '').replace(/^[\s;,]+/, '');
      });
      if (attempts.problem) return;
    }
    typed = '';
  }

  const anyone = () =>
    attempt(() =>
      need(
        api.POST('/api/v1/packages/{id}/recipients', {
          params: { path: { id: parcel.id } },
          body: { rights: ['see'] },
        }),
      ),
    );
  const change = (id: string, rights: string[]) =>
    attempt(() =>
      need(
        api.PATCH('/api/v1/recipients/{id}', {
          params: { path: { id } },
          body: { rights: rights as Recipient['rights'] },
        }),
      ),
    );
  const remove = (id: string) =>
    attempt(() => need(api.DELETE('/api/v1/recipients/{id}', { params: { path: { id } } })));
</script>

<h2>To</h2>
<ul>
  {#each parcel.recipients as r (r.id)}
    <li>
      <span class="who">
        <strong>{r.name}</strong>
        <span class="muted">{r.anyone ? 'no mail address; copy the link after sending' : r.email}</span>
        {#if r.ends && r.zone !== parcel.end_rule.zone}<span class="figure muted">ends {r.ends}</span>{/if}
      </span>
      <Rights rights={r.rights ?? []} who={r.name} change={(rights) => change(r.id, rights)} />
      <button class="remove" onclick={() => remove(r.id)} aria-label="Take off {r.name}">Take off</button>
    </li>
  {/each}
</ul>
<form onsubmit={add}>
  <Field
    aria-label="Add a mail address, or paste a list"
    placeholder="Add a mail address, or paste a list"
    bind:value={typed}
    onblur={() => typed.trim() && add()}
  />
  <Button disabled={!typed.trim()}>Add</Button>
</form>
{#if attempts.problem}<p class="wrong" role="alert">{attempts.problem}</p>{/if}
{#if parcel.door !== 'named' && !parcel.recipients.some((r) => r.anyone)}
  <Button look="link" onclick={anyone}>Make a link for anyone, to look only</Button>
{/if}

<style>
  h2 {
    font-size: var(--t-lead);
  }
  li {
    display: flex;
    align-items: center;
    gap: var(--s-6);
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
  }
  .who {
    flex: 1;
    min-width: 0;
  }
  .who > * {
    display: block;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .who strong {
    font-weight: 600;
  }
  .who .muted {
    font-size: var(--t-small);
  }
  form {
    display: flex;
    gap: var(--s-3);
    margin: var(--s-4) 0 var(--s-3);
  }
  .remove {
    font-size: var(--t-small);
    color: var(--muted);
    text-decoration: underline;
    text-underline-offset: 3px;
    white-space: nowrap;
    min-height: 26px;
  }
  .remove:hover {
    color: var(--wrong);
  }
  @media (--phone) {
    li {
      flex-wrap: wrap;
    }
    .who {
      flex-basis: 100%;
    }
  }
</style>
