<!-- What is done to the packages that were chosen, all at once; each is done or refused by itself, and says so. -->
<script lang="ts">
  import { api, need, words, type Package, type Rule, type Schemas } from '$api/client';
  import { count } from '$lib/count';
  import Ends from '$lib/package/Ends.svelte';
  import DoorPick from '$lib/package/DoorPick.svelte';
  import { zone } from '$lib/time';
  import { undo } from '$lib/undo.svelte';
  import Area from '$lib/ui/Area.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';

  interface Props {
    /** ids */
    chosen: string[];
    titles: Record<string, string>;
    leave: () => void;
    /** something was done */
    done: () => void;
  }
  let { chosen, titles, leave, done }: Props = $props();
  type Act = Schemas['ActInBody']['act'];
  let asks = $state<Act | ''>('');
  let problem = $state('');
  let busy = $state(false);
  let refused = $state<Schemas['DoneView'][]>([]);
  let rule = $state<Rule>({ kind: 'after_days', days: 7, zone });
  let message = $state('');
  let door = $state<string>('open');
  let good = $state(false);
  let passphrase = $state('');
  let keep = $state(false);
  const many = $derived(count(chosen.length, 'package'));

  async function act(what: Act, more: Partial<Schemas['ActInBody']> = {}) {
    busy = true;
    try {
      const all =
        (await need(api.POST('/api/v1/packages/acts', { body: { packages: chosen, act: what, ...more } }))) ?? [];
      problem = '';
      asks = '';
      refused = all.filter((d) => !d.done);
      const did = all.filter((d) => d.done);
      if (what === 'links') {
        await navigator.clipboard.writeText(did.map((d) => [d.title, ...(d.links ?? [])].join('\n')).join('\n\n'));
        undo.did(
          `${count(
            did.reduce((sum, d) => sum + (d.links?.length ?? 0), 0),
            'link',
          )} copied.`,
        );
      } else if (did.length) {
        undo.did(did.length === 1 ? `${did[0]!.title}: ${did[0]!.says}` : `Done for ${count(did.length, 'package')}.`);
      }
      done();
      if (!refused.length) leave();
    } catch (thrown) {
      problem = words(thrown);
    } finally {
      busy = false;
    }
  }
  function begin(what: Act) {
    problem = '';
    refused = [];
    asks = what;
  }
  const title = $derived(
    {
      stop: `Stop ${many}`,
      extend: `Extend ${many}`,
      remind: `Remind of ${many}`,
      door: `Another door for ${many}`,
      links: '',
      '': '',
    }[asks],
  );
</script>

<div class="bar" role="region" aria-label="What to do with the chosen packages">
  <strong>{many} chosen</strong>
  <span class="acts">
    <Button onclick={() => begin('extend')}>Extend…</Button>
    <Button onclick={() => begin('remind')}>Remind…</Button>
    <Button onclick={() => begin('door')}>Door…</Button>
    <Button onclick={() => act('links')} disabled={busy}>Copy links</Button>
    <Button look="wrong" onclick={() => begin('stop')}>Stop…</Button>
  </span>
  <Button look="link" onclick={leave}>Leave</Button>
  {#if problem && !asks}<p class="problem" role="alert">{problem}</p>{/if}
  {#if refused.length}
    <ul class="late" role="status">
      {#each refused as r (r.id)}<li><strong>{r.title || titles[r.id]}</strong> {r.says}</li>{/each}
    </ul>
  {/if}
</div>

<Dialog bind:open={() => asks !== '', (to) => to || (asks = '')} {title} size="small">
  <div class="ask">
    {#if asks === 'extend'}
      <Ends {rule} change={(to) => (rule = to)} people={[]} />
      <p class="muted">Those that ended or were stopped open again, as long as their files are held.</p>
      <Button look="main" disabled={busy} onclick={() => act('extend', { ends: rule })}>Set the new end</Button>
    {:else if asks === 'remind'}
      <Area
        label="A line of yours"
        placeholder="It goes above the link"
        rows={2}
        maxlength={500}
        bind:value={message}
      />
      <p class="muted">Whoever has not everything gets a letter that says what is missing.</p>
      <Button look="main" disabled={busy} onclick={() => act('remind', { message })}>Remind now</Button>
    {:else if asks === 'door'}
      <DoorPick
        parcel={chosen[0] ?? ''}
        label="Passphrase of all of them"
        bind:door
        bind:passphrase
        bind:good
        bind:keep
      />
      <Button
        look="main"
        disabled={busy || (door === 'passphrase' && !good)}
        onclick={() =>
          act('door', {
            door: door as Package['door'],
            keep_in: keep,
            ...(door === 'passphrase' && { passphrase }),
          })}>Change the door</Button
      >
    {:else if asks === 'stop'}
      <p>
        Every link of {many} goes dead at once, and downloads that run are cut. What was taken stays in the record, and you
        can open them again while their files are held.
      </p>
      <Button look="wrong" disabled={busy} onclick={() => act('stop')}
        >Stop {chosen.length === 1 ? 'it' : 'them'} now</Button
      >
    {/if}
    {#if problem}<p class="problem" role="alert">{problem}</p>{/if}
  </div>
</Dialog>

<style>
  .bar {
    position: fixed;
    z-index: 20;
    left: 50%;
    bottom: var(--s-8);
    transform: translateX(-50%);
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: var(--s-4) var(--s-8);
    width: max-content;
    max-width: calc(100vw - 24px);
    padding: var(--s-5) var(--s-7);
    background: var(--surface);
    border: 1.5px solid var(--ink);
    border-radius: var(--radius);
    box-shadow: var(--float);
  }
  .acts {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-3);
  }
  .bar ul,
  .bar .problem {
    flex-basis: 100%;
    max-height: 30vh;
    overflow-y: auto;
  }
  .ask {
    display: grid;
    gap: var(--s-6);
    justify-items: start;
  }
  .ask > :global(*) {
    max-width: 100%;
  }
</style>
