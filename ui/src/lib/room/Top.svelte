<!-- The head of the Room: which piece, format and version, who is here, the round, and what else one can do. -->
<script lang="ts">
  import { goto } from '$app/navigation';
  import type { Item, RoomData } from '$api/client';
  import { suffix, type Thing } from '$lib/formats';
  import Button from '$lib/ui/Button.svelte';
  import Select from '$lib/ui/Select.svelte';
  import type { Review } from './review.svelte';
  import type { Sitting } from './sitting.svelte';

  interface Props {
    back: { href: string; name: string };
    things: Thing<Item>[];
    /** of the thing that is looked at, from 0 */
    place: number;
    chosen: Item | undefined;
    /** the formats of it */
    same: Item[];
    /** how many things there are, and what of them is not shown yet */
    count: number;
    more: { left: number; load: () => Promise<void> } | undefined;
    to: (n: number) => void;
    /** one piece can follow another */
    playsOn: boolean;
    through: boolean;
    review: Review;
    room: RoomData | undefined;
    /** id of the version that it is compared with; empty for none */
    against: string;
    addressOf: (more: { version?: string; compare?: string }) => string;
    sitting: Sitting;
    decide: () => void;
    exchange: () => void;
    help: () => void;
  }
  let {
    back,
    things,
    place,
    chosen,
    same,
    count,
    more,
    to,
    playsOn,
    through = $bindable(),
    review,
    room,
    against,
    addressOf,
    sitting,
    decide,
    exchange,
    help,
  }: Props = $props();

  /** what was decided last of the version that is looked at; the client's own where they decide */
  const decided = $derived.by(() => {
    const of = room?.decided.filter((d) => d.version === room?.item.version && (room?.studio || d.mine)) ?? [];
    if (!of[0]) return '';
    return of[0].verdict === 'signed_off' ? 'Signed off ✓' : 'Changes wanted';
  });
  const sit = $derived.by(() => {
    if (sitting.leads) return 'Cease leading';
    if (!sitting.leader) return 'Sit together: you lead, their players follow';
    return sitting.follows ? 'Go on by yourself' : `Follow ${sitting.leader.name}`;
  });
</script>

<header>
  <a href={back.href}>‹ {back.name}</a>
  <h1 class="visually-hidden">{chosen?.name}</h1>
  <nav class="pieces" aria-label="Pieces">
    <Button look="quiet" aria-label="Piece before" disabled={place < 1} onclick={() => to(place - 1)}>←</Button>
    <Select
      aria-label="Piece"
      value={things[place]?.head.id ?? ''}
      pick={(id) => void goto(`?item=${id}`)}
      options={things.map(({ head }, n) => ({ value: head.id, name: `${n + 1}. ${head.name}` }))}
    />
    <Button look="quiet" aria-label="Next piece" disabled={place >= things.length - 1} onclick={() => to(place + 1)}
      >→</Button
    >
    <span class="figure muted">{place + 1} of {count}</span>
    {#if more}<Button look="link" onclick={() => void more.load()}>{more.left} more</Button>{/if}
    {#if playsOn}
      <button class="word" aria-pressed={through} title="One piece after another" onclick={() => (through = !through)}
        >Play on</button
      >
    {/if}
  </nav>
  {#if same.length > 1}
    <nav class="kin" aria-label="Formats">
      {#each same as other (other.id)}
        <a href="?item={other.id}" aria-current={other.id === chosen?.id ? 'true' : undefined} title={other.name}
          >{suffix(other)}</a
        >
      {/each}
    </nav>
  {/if}
  {#if room && room.versions.length > 1}
    <nav class="kin" aria-label="Versions">
      {#each room.versions as v (v.id)}
        <a
          href={addressOf({ version: v.now ? '' : v.id })}
          aria-current={v.id === room.item.version ? 'true' : undefined}
          class:with={v.id === against}
          title="{v.label}{v.now ? ' (the one that is given now)' : ''}">v{v.number}</a
        >
      {/each}
    </nav>
  {/if}
  {#if room?.before}
    <a
      class="compare-link"
      aria-current={against ? 'true' : undefined}
      href={against ? addressOf({}) : addressOf({ compare: room.before })}
      >{against ? 'Leave comparing' : `Compare with v${room.versions.find((v) => v.id === room.before)?.number}`}</a
    >
  {/if}
  {#if sitting.says}
    <button class="here" aria-pressed={sitting.leads || sitting.follows} title={sit} onclick={() => sitting.turn()}
      ><i aria-hidden="true"></i>{sitting.says} <kbd class="key">G</kbd></button
    >
  {/if}
  {#if room?.round}
    <button class="round" class:signed={room.round.state === 'signed'} title={room.round.says} onclick={decide}
      >{room.round.name}{room.round.due ? `, ${room.round.due}` : ''}</button
    >
  {/if}
  {#if room && (room.studio || review.may('sign_off'))}
    <Button look="main" class="decide" onclick={decide}
      >{decided || (room.studio ? 'Ask for sign-off' : 'Sign off …')}</Button
    >
  {/if}
  {#if room}<button class="word" onclick={exchange}>Out and in</button>{/if}
  <Button look="quiet" class="help" aria-label="Keys" onclick={help}><kbd class="key">?</kbd></Button>
</header>

<style>
  header {
    display: flex;
    align-items: center;
    gap: var(--s-3) var(--s-8);
    min-height: 48px;
    padding: 0 var(--s-8);
    border-bottom: 1px solid var(--line);
  }
  header > a {
    color: var(--muted);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
    max-width: 26ch;
  }
  header > a:hover {
    color: var(--ink);
  }
  nav {
    display: flex;
    align-items: center;
    gap: var(--s-3);
    min-width: 0;
  }
  .pieces {
    margin-right: auto;
  }
  nav :global(.select) {
    width: min(260px, 24vw);
  }
  nav :global(:is(.field, .button)) {
    min-height: 32px;
    padding-block: var(--s-0);
  }
  nav .figure,
  .word {
    white-space: nowrap;
  }
  .word {
    color: var(--muted);
    font-size: var(--t-small);
    min-height: 28px;
  }
  .word[aria-pressed='true'] {
    color: var(--main);
    text-decoration: underline;
    text-underline-offset: 4px;
  }
  header > .compare-link {
    flex: none;
    max-width: none;
    color: var(--ink);
    font-size: var(--t-small);
    text-decoration: underline;
    text-underline-offset: 4px;
    white-space: nowrap;
  }
  .here {
    display: flex;
    align-items: center;
    gap: var(--s-2);
    color: var(--seen);
    font-size: var(--t-small);
    white-space: nowrap;
    overflow: hidden;
  }
  .here i {
    flex: none;
    width: 8px;
    height: 8px;
    border-radius: 50%;
    background: currentcolor;
  }
  .here[aria-pressed='true'] {
    text-decoration: underline;
    text-underline-offset: 4px;
  }
  .round {
    color: var(--late);
    font-size: var(--t-small);
    white-space: nowrap;
  }
  .round.signed {
    color: var(--main);
  }
  header :global(.decide) {
    min-height: 32px;
    padding-block: var(--s-0);
    white-space: nowrap;
  }
  .kin {
    flex: none;
    gap: 0;
  }
  .kin a {
    border: 1px solid var(--line);
    padding: var(--s-0) var(--s-4);
    margin-left: -1px;
    font-size: var(--t-small);
    line-height: 24px;
  }
  .kin a:hover {
    background: var(--surface);
  }
  .kin .with {
    border-style: dashed;
    border-color: var(--ink);
  }
  .kin a[aria-current] {
    background: var(--ink);
    color: var(--ground);
  }
  @media (--middle) {
    header {
      flex-wrap: wrap;
      padding: var(--s-3) var(--s-7);
    }
    .pieces {
      width: 100%;
      margin: 0;
    }
    nav :global(.select) {
      flex: 1;
      width: auto;
    }
    header :global(.help) {
      display: none;
    }
  }
</style>
