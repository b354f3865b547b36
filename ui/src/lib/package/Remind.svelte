<!-- Reminds all who have not everything of a package, with a line of one's own. -->
<script lang="ts">
  import { api, need, words, type LedgerRow, type Schemas } from '$api/client';
  import { count } from '$lib/count';
  import Area from '$lib/ui/Area.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';

  interface Props {
    parcel: string;
    people: LedgerRow[];
    /** called with what came of it, in words */
    said: (words: string) => void;
  }
  let { parcel, people, said }: Props = $props();
  let open = $state(false);
  /** who would be reminded and who not, as far as it is known */
  let would = $state<Schemas['RemindedView']>();
  const nobody = $derived(Boolean(would && !would.reminded.length));
  let message = $state('');
  let problem = $state('');
  let busy = $state(false);

  const tell = ({ reminded, left }: Schemas['RemindedView']) =>
    [
      reminded.length ? `${count(reminded.length, 'person is', 'people are')} reminded.` : 'Nobody was reminded.',
      ...left.map((l) => l.why),
    ].join(' ');
  async function ask() {
    problem = '';
    would = undefined;
    try {
      would = await need(api.GET('/api/v1/packages/{id}/remind', { params: { path: { id: parcel } } }));
    } catch (thrown) {
      problem = words(thrown);
    }
    open = true;
  }
  async function remind(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    try {
      said(
        tell(
          await need(api.POST('/api/v1/packages/{id}/remind', { params: { path: { id: parcel } }, body: { message } })),
        ),
      );
      open = false;
      message = '';
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
</script>

<Button onclick={ask}>Remind {count(people.length, 'person', 'people')}</Button>

<Dialog
  bind:open
  title={nobody ? 'Reminders' : `Remind ${count(would ? would.reminded.length : people.length, 'person', 'people')}`}
  size="small"
>
  <form onsubmit={remind}>
    <ul>
      {#each people as p (p.id)}
        {@const why = would?.left.find((l) => l.name === p.name)?.why}
        <li>
          {#if why}<span class="muted">{why}</span>{:else}<strong>{p.name}</strong>
            <span class="muted">{p.saying}</span>{/if}
        </li>
      {/each}
    </ul>
    {#if nobody}
      <p role="status">Nobody would get a reminder now.</p>
    {:else}
      <Area
        label="A line of yours"
        placeholder="It goes above the link"
        rows={2}
        maxlength={500}
        bind:value={message}
      />
      <p class="muted">
        Each letter says what that person still lacks, and how long it takes at the rate they were seen to reach.
      </p>
    {/if}
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
    {#if !nobody}<Button look="main" disabled={busy}>{busy ? 'Reminding' : 'Remind now'}</Button>{/if}
  </form>
</Dialog>

<style>
  form {
    display: grid;
    gap: var(--s-6);
    justify-items: start;
  }
  form > :global(*) {
    width: 100%;
  }
  form > :global(.button) {
    width: auto;
  }
  ul {
    max-height: 30vh;
    overflow-y: auto;
  }
  li {
    padding: var(--s-2) 0;
    border-bottom: 1px solid var(--line);
  }
  strong {
    font-weight: 600;
  }
</style>
