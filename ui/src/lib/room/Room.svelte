<!--
  The review screen, for the studio and for whoever has a link: the picture as large as possible on neutral grey, the
  note at this frame large beside it, and below the score: the notes in lanes, lying where they are in time.
-->
<script lang="ts">
  import { beforeNavigate, goto } from '$app/navigation';
  import { page as address } from '$app/state';
  import type { Anchor, Item, RoomData } from '$api/client';
  import { formats, playable, turned } from '$lib/formats';
  import Keys from '$lib/Keys.svelte';
  import { live } from '$lib/live.svelte';
  import { elsewhere } from '$lib/player/elsewhere.svelte';
  import type Player from '$lib/player/Player.svelte';
  import { Transport } from '$lib/player/transport.svelte';
  import { clock, label as labelOf, timelineOf } from '$lib/timecode';
  import Skeleton from '$lib/ui/Skeleton.svelte';
  import { onDestroy, untrack, type Snippet } from 'svelte';
  import Beside from './Beside.svelte';
  import { countOf } from './changed';
  import Changed from './Changed.svelte';
  import Compare from './Compare.svelte';
  import Compose from './Compose.svelte';
  import Decide from './Decide.svelte';
  import Exchange from './Exchange.svelte';
  import Overlay from './Overlay.svelte';
  import { begins, ends, Review, type Laid } from './review.svelte';
  import Score from './Score.svelte';
  import type { View } from './score';
  import type { Seat } from './seat';
  import { Sitting } from './sitting.svelte';
  import Stage from './Stage.svelte';
  import type { Tool } from './strokes';
  import Top from './Top.svelte';
  import { watching } from './watching';

  interface Props {
    seat: Seat;
    /** of the package, as far as they are shown */
    items: Item[];
    count: number;
    more?: (() => Promise<void>) | undefined;
    /** where it leads back to */
    back: { href: string; name: string };
    /** what neither plays nor is a picture */
    thing?: Snippet<[Item]>;
    /** an announcement that is none of a note */
    changed?: () => void;
  }
  let { seat, items, count, more, back, thing, changed }: Props = $props();

  const review = untrack(() => new Review(seat));
  const transport = new Transport();
  const sitting = untrack(() => new Sitting(seat, transport));
  let player = $state<ReturnType<typeof Player>>();
  let compose = $state<ReturnType<typeof Compose>>();
  let score = $state<ReturnType<typeof Score>>();
  let beside = $state<ReturnType<typeof Beside>>();
  let anchor = $state.raw<Anchor>({});
  let tool = $state<Tool | 'place' | ''>('');
  let colour = $state(0);
  let sheet = $state(1);
  let list = $state(false);
  let keys = $state(false);
  let through = $state(false);
  let exchange = $state(false);
  let deciding = $state(false);
  let comparing = $state<ReturnType<typeof Compare>>();

  const wanted = $derived(address.url.searchParams.get('item') ?? '');
  const version = $derived(address.url.searchParams.get('version') ?? '');
  const against = $derived(address.url.searchParams.get('compare') ?? '');
  let stays = $state(''); // whoever asked for none stays at the first one, also when another becomes one to play
  const chosen = $derived(
    items.find((i) => i.id === (wanted || stays)) ?? items.find((i) => i.made.includes('proxy')) ?? items[0],
  );
  /** by its id: a package that is read anew is no other thing, and nobody loses the page or the spot they are at */
  const id = $derived(chosen?.id);
  const room = $derived(review.room?.item.id === id ? review.room : undefined);
  const item = $derived(room?.item);
  /** it is the version that the package gives: what is seen of another one counts for nothing */
  const given = $derived(room?.versions.find((v) => v.now)?.id === item?.version);
  const plays = $derived(item ? playable(item) && item.made.includes('proxy') : false);
  const picture = $derived(item ? item.what === 'film' || item.pages > 0 || item.what === 'still' : false);

  const things = $derived(formats(items, id));
  const place = $derived(things.findIndex((t) => t.head.id === id || t.also.some((a) => a.id === id)));
  const same = $derived.by(() => {
    const thing = things[place];
    return items.filter((i) => i === thing?.head || thing?.also.includes(i));
  });
  const to = (n: number) => {
    const head = things[n]?.head;
    if (head) void goto(`?item=${head.id}`, { keepFocus: true });
  };

  const load = () => (id ? review.load(id, version) : Promise.resolve());
  $effect(() => {
    void id;
    void version;
    untrack(() => {
      stays = id ?? '';
      sheet = 1;
      tool = '';
      anchor = {};
      transport.unmark();
      void load();
    });
  });
  live(
    () => seat.live,
    (change) => {
      if (change.package && room && change.package !== room.package) return;
      if (change.what === 'sitting') return void sitting.look();
      if (change.what === 'presence') return;
      if (change.what === 'notes' || change.what === 'resync' || change.what === 'media') void load();
      if (change.what !== 'notes' && change.what !== 'ledger') changed?.();
    },
    true,
  );
  // Who is here, and where somebody leads, everybody where they are.
  $effect(() => {
    const [of, version] = [room?.item.id, room?.item.version];
    if (of && version) untrack(() => sitting.enter(of, version));
  });
  onDestroy(() => sitting.leave());
  $effect(() => sitting.moved(transport.running, transport.seconds, transport.shuttle || transport.speed));
  $effect(() => {
    if (!sitting.follows) return;
    const timer = setInterval(() => sitting.follow(), 200);
    return () => clearInterval(timer);
  });

  const line = $derived(item ? timelineOf(item.facts) : null);
  const label = (micros: number) =>
    line ? labelOf(line, Math.floor((micros * line.num) / line.den / 1e6 + 1e-4)) : clock(micros / 1e6);
  const under = $derived(plays ? review.under(transport.place, transport.running) : []);
  // Of the frames that pass by most have the same notes: what does not change is not drawn anew.
  const lights = $derived(under.map((n) => n.id).join(' '));
  const lit = $derived(lights ? lights.split(' ') : []);
  // During play the note that the playhead has come to stands beside the picture.
  $effect(() => {
    const last = under.at(-1);
    if (transport.running && last) review.picked = last.id;
  });
  const note = $derived(review.note);
  /** the note in front lies at what is shown */
  const shows = $derived(
    note && (plays && note.here.when ? lit.includes(note.id) || begins(note.here) === transport.place : (note.here.page ?? 1) === sheet), // prettier-ignore
  );
  /** what is being written lies at what is shown; a sketch is for its frame alone */
  const draws = $derived(
    !plays || !anchor.when || (begins(anchor) <= transport.place && transport.place <= ends(anchor)),
  );
  $effect(() => {
    if (!draws) tool = '';
  });
  const others = $derived(
    review.shown.filter((n) => n.id !== note?.id && n.here.where && n.here.where !== 'page' && (plays ? lit.includes(n.id) : (n.here.page ?? 1) === sheet)), // prettier-ignore
  );

  function pick(chosen: Laid | undefined) {
    if (!chosen) return;
    review.picked = chosen.id;
    if (chosen.here.when) transport.seek(begins(chosen.here));
    if (chosen.here.page) sheet = chosen.here.page;
  }
  // A link to a note, or to a moment (Media Fragments, #t= in seconds), takes the player there once it can go.
  let sought = '';
  $effect(() => {
    const key = `${id} ${address.url.searchParams.get('note') ?? ''} ${address.url.hash}`;
    if (!room || sought === key || (plays && !transport.duration)) return;
    sought = key;
    const named = review.all.find((n) => n.id === address.url.searchParams.get('note'));
    const at = /#t=(?:npt:)?([\d.]+)/.exec(address.url.hash)?.[1];
    untrack(() => {
      if (named) pick(named);
      else if (at) transport.seek(Number(at) * 1e6);
      else if (plays) watching.back(room.item.version, transport);
      const was = elsewhere.take(room.item.version);
      if (was && !named && !at) {
        transport.go(was.at);
        if (was.plays) void transport.play();
      }
    });
  });
  $effect(() => {
    const version = item?.version;
    const at = transport.seconds;
    if (version && plays && sought) untrack(() => watching.keep(version, at, transport.length));
  });
  // What does not play counts by the time that a page of it is in front.
  $effect(() => {
    const mine = item;
    if (!mine || !given || !turned(mine)) return;
    untrack(() => {
      watching.of(seat, mine, () => sheet);
      watching.looked(seat, mine);
    });
  });
  onDestroy(() => watching.leave());
  // A sound goes on while one looks at something else; not at another version of it, which is heard instead. (When a
  // screen goes, what it reads of its state is what was before.)
  let there: URL | undefined;
  beforeNavigate(({ to }) => (there = to?.url));
  function keepOf(mine: RoomData['item'], parcel: string) {
    const room = address.url.pathname;
    const href = `${room}?item=${mine.id}`;
    const counts = given;
    return (media: HTMLMediaElement) => {
      if (!there || (there.pathname === room && there.searchParams.get('item') === mine.id)) return;
      const { version, name } = mine;
      const viewing = counts ? watching.hand(seat, mine) : undefined;
      elsewhere.keep({ media, version, name, href, live: seat.live, package: parcel, viewing });
    };
  }

  const shareAddress = $derived(`?item=${chosen?.id ?? ''}${note ? `&note=${note.id}` : ''}`);
  const addressOf = (more: { version?: string; compare?: string }) => {
    const shown = more.version ?? version;
    return `?item=${chosen?.id ?? ''}${shown && `&version=${shown}`}${more.compare ? `&compare=${more.compare}` : ''}`;
  };
  /** Compares with the version before, or with the one after where there is none before; and back again. */
  function compare() {
    if (against) return void goto(addressOf({}), { keepFocus: true });
    if (room?.before) void goto(addressOf({ compare: room.before }), { keepFocus: true });
  }
  const turn = (by: 1 | -1, open = false) => pick(review.step(by, open));

  function ended() {
    if (through && place < things.length - 1) to(place + 1);
  }
  $effect(() => {
    if (through && transport.duration && transport.seconds === 0 && place > 0) void untrack(() => transport.play());
  });

  const acts: Record<string, () => void> = {
    ' ': () => transport.toggle(),
    k: () => transport.pause(),
    j: () => transport.run(-1),
    l: () => transport.run(1),
    ArrowLeft: () => transport.step(-1),
    ArrowRight: () => transport.step(1),
    'Shift ArrowLeft': () => transport.jump(-1),
    'Shift ArrowRight': () => transport.jump(1),
    PageUp: () => (plays ? transport.jump(-10) : (sheet = Math.max(1, sheet - 1))),
    PageDown: () => (plays ? transport.jump(10) : (sheet = Math.min(item?.pages ?? 1, sheet + 1))),
    Home: () => transport.go(0),
    End: () => transport.toFrame(transport.lastFrame),
    i: () => transport.mark('from'),
    o: () => transport.mark('to'),
    x: () => transport.unmark(),
    r: () => (transport.loop = !transport.loop),
    '[': () => transport.faster(-1),
    ']': () => transport.faster(1),
    ',': () => transport.setVolume(transport.volume - 0.1),
    '.': () => transport.setVolume(transport.volume + 0.1),
    u: () => transport.mute(),
    t: () => void player?.typePlace(),
    y: () => player?.count(),
    f: () => player?.fullscreen(),
    w: () => transport.window(),
    ArrowUp: () => turn(-1),
    ArrowDown: () => turn(1),
    n: () => (against ? comparing?.nextChange() : turn(1, true)),
    c: compare,
    g: () => sitting.turn(),
    q: () => comparing?.turn(),
    'Shift  ': () => comparing?.playChanges(),
    e: () => beside?.turnDone(),
    m: () => compose?.focus(),
    s: () => picture && compose?.sketch(),
    v: () => compose?.speak(),
    b: () => (list = !list),
    '/': () => void beside?.search(),
    '+': () => score?.nearer(0.5),
    '=': () => score?.nearer(0.5),
    '-': () => score?.nearer(2),
    '0': () => score?.whole(),
    'Shift ArrowUp': () => score?.move(-0.5),
    'Shift ArrowDown': () => score?.move(0.5),
    '?': () => (keys = true),
    Escape: () => (tool ? (tool = '') : void goto(back.href)),
  };
  function press(event: KeyboardEvent) {
    const target = event.target as HTMLElement;
    if (event.key === 'Escape' && target.matches('input:not([type=range])')) return target.blur();
    if (event.ctrlKey || event.metaKey || event.altKey || target.closest('input:not([type=range]), textarea, select, dialog')) return; // prettier-ignore
    const plain = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    const act = acts[event.shiftKey ? `Shift ${plain}` : plain] ?? (event.shiftKey && plain.length === 1 ? acts[plain] : undefined); // prettier-ignore
    if (!act || ((event.key === ' ' || event.key === 'Enter') && target.closest('button, a'))) return;
    if (target.closest('.menu-of') && event.key.startsWith('Arrow')) return;
    event.preventDefault();
    act();
  }
  function drop(event: DragEvent) {
    if (!compose?.take(event.dataTransfer?.files)) return;
    event.preventDefault();
  }
</script>

<svelte:window
  onkeydown={press}
  onpagehide={() => (sitting.leave(), watching.stop())}
  ondragover={(e) => e.dataTransfer?.types.includes('Files') && e.preventDefault()}
  ondrop={drop}
/>

<Top
  {back}
  {things}
  {place}
  {chosen}
  {same}
  {count}
  more={more && { left: count - items.length, load: more }}
  {to}
  playsOn={things.length > 1 && plays}
  bind:through
  {review}
  {room}
  {against}
  {addressOf}
  {sitting}
  decide={() => (deciding = true)}
  exchange={() => (exchange = true)}
  help={() => (keys = true)}
/>

<main class:still={!plays}>
  {#if review.gone}<p class="problem" role="alert">{review.problem}</p>
  {:else if !room || !item}
    {#if review.problem}<p class="problem" role="alert">{review.problem}</p>{:else}<Skeleton shape="page" />{/if}
  {:else}
    {#if against && room.versions.some((v) => v.id === against)}
      {#key against}
        <Compare bind:this={comparing} bind:player {seat} {room} version={against} {transport} page={sheet} />
      {/key}
    {:else}
      <div class="stage">
        <section class="picture" aria-label="The piece">
          {#key item.version}
            <Stage
              bind:player
              {item}
              {transport}
              bind:page={sheet}
              viewing={given ? watching.of(seat, item) : undefined}
              started={() => given && watching.looked(seat, item)}
              {ended}
              keep={keepOf(item, room.package)}
              thing={thing ? something : undefined}
            >
              <Overlay
                note={shows ? note : undefined}
                {others}
                {pick}
                draft={draws ? anchor : {}}
                tool={tool || (!plays && picture && review.may('note') ? 'place' : '')}
                {colour}
                draw={(a) => {
                  anchor = a;
                  if (!tool) compose?.focus();
                }}
              />
            </Stage>
          {/key}
        </section>
        <Beside
          bind:this={beside}
          bind:list
          {review}
          {room}
          {lit}
          {pick}
          {turn}
          {load}
          address={shareAddress}
          at={() => (plays ? transport.place : null)}
        />
      </div>
    {/if}
    {#if review.may('note') && !against}
      {#key item.id}
        <Compose
          bind:this={compose}
          {seat}
          {room}
          transport={plays ? transport : null}
          page={item.pages > 1 ? sheet : 0}
          {label}
          bind:anchor
          bind:tool
          bind:colour
          made={(id) => {
            review.picked = id;
            list = false;
            void load();
          }}
        />
      {/key}
    {/if}
    {#if plays}
      <Score
        bind:this={score}
        {item}
        notes={review.shown}
        {transport}
        picked={note?.id ?? ''}
        {lit}
        {pick}
        {label}
        map={room.changed ? changedMap : undefined}
      />
    {/if}
  {/if}
</main>
<Keys bind:open={keys} at="room" />

{#if room}
  <Decide bind:open={deciding} {seat} {room} changed={() => void load()} />
  <Exchange
    bind:open={exchange}
    {review}
    {room}
    printed="{address.url.pathname}/print?item={room.item.id}{version ? `&version=${version}` : ''}"
    came={() => void load()}
  />
{/if}

{#snippet changedMap(view: View)}
  {#if room?.changed && item}
    <Changed map={room.changed} {view} line={countOf(item.facts)} />
  {/if}
{/snippet}
{#snippet something()}{#if thing && chosen}{@render thing(chosen)}{/if}{/snippet}

<style>
  main {
    display: flex;
    flex-direction: column;
    height: calc(100dvh - 49px);
    min-height: 460px;
    padding: var(--s-6) var(--s-8) var(--s-7);
  }
  /* Two pictures beside each other are small enough. */
  main:has(:global(.compare)) > :global(.score) {
    max-height: 19vh;
  }
  .stage {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(280px, 380px);
    gap: var(--s-9);
    flex: 1;
    min-height: 0;
  }
  .picture {
    display: flex;
    flex-direction: column;
    min-height: 0;
  }
  @media (--middle) {
    main {
      height: auto;
      display: block;
      padding: 0 0 var(--s-11);
    }
    .stage {
      display: block;
    }
    .picture {
      height: min(62vw, 60vh);
      position: sticky;
      top: 0;
      z-index: 2;
      padding: 0 var(--s-7);
      background: var(--ground);
      height: auto;
    }
    .picture :global(.room .stage),
    .picture :global(.room-picture) {
      container-type: inline-size;
      display: block;
      margin: 0 calc(-1 * var(--s-7));
    }
    .picture :global(.frame) {
      width: 100%;
      max-height: 58vh;
    }
    .picture :global(.room.sound .frame) {
      height: 130px;
    }
    main > :global(:is(.compose, .score, .compare)),
    main > .problem {
      margin-inline: var(--s-7);
    }
  }
</style>
