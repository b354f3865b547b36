<!-- The controls of the layer in their states, for whoever works on the look. Nothing leads here. -->
<script lang="ts">
  import Area from '$lib/ui/Area.svelte';
  import Badge from '$lib/ui/Badge.svelte';
  import Button from '$lib/ui/Button.svelte';
  import Choice from '$lib/ui/Choice.svelte';
  import Dialog from '$lib/ui/Dialog.svelte';
  import Drawer from '$lib/ui/Drawer.svelte';
  import Editable from '$lib/ui/Editable.svelte';
  import Field from '$lib/ui/Field.svelte';
  import Menu from '$lib/ui/Menu.svelte';
  import Moment from '$lib/ui/Moment.svelte';
  import Paging from '$lib/ui/Paging.svelte';
  import Popover from '$lib/ui/Popover.svelte';
  import Progress from '$lib/ui/Progress.svelte';
  import Ring from '$lib/ui/Ring.svelte';
  import Select from '$lib/ui/Select.svelte';
  import Skeleton from '$lib/ui/Skeleton.svelte';
  import Strip from '$lib/ui/Strip.svelte';
  import Table from '$lib/ui/Table.svelte';
  import Tabs from '$lib/ui/Tabs.svelte';
  import Tick from '$lib/ui/Tick.svelte';
  import Tip from '$lib/ui/Tip.svelte';
  import Toast from '$lib/ui/Toast.svelte';
  import Trail from '$lib/ui/Trail.svelte';

  let choice = $state('7');
  let tab = $state('ledger');
  let dialog = $state(false);
  let drawer = $state(false);
  let page = $state(2);
  let about = $state('Seven short films, one a month');
  const looks = ['plain', 'main', 'quiet', 'wrong', 'link'] as const;
  const states = ['draft', 'out', 'closing', 'closed', 'cleared'] as const;
  const read = (text: string) =>
    Promise.resolve({
      local: text.startsWith('2026') ? text : '2026-12-03T18:00',
      says: 'Thu 3 Dec 2026, 18:00, London',
      wall: 'Thu 3 Dec 2026, 18:00',
      left: '6 d 3 h',
      twice: '',
      clocks: [{ zone: 'America/New_York', says: 'Thu 3 Dec 2026, 13:00, New York' }],
    });
</script>

<svelte:head><title>Look · Aftergust</title></svelte:head>

{#snippet all(where: string)}
  <section class:room={where === 'room'} aria-label={where}>
    <div>
      <h2>Buttons</h2>
      <p class="set">
        {#each looks as look (look)}<Button {look} onclick={() => undefined}>{look}</Button>{/each}
        <Button look="main" disabled onclick={() => undefined}>disabled</Button>
      </p>
      <h2>Fields</h2>
      <div class="fields">
        <Field label="Name" value="Hanne Vold" hint="As it stands in letters" />
        <Field label="Mail address" value="hanne@kelpwick" problem="This is no mail address. Nothing was sent." />
        <Field label="Empty" placeholder="What goes here" />
        <Area label="Letter" value="Here is cut 3." rows={2} />
        <Select
          label="Kind"
          options={[
            { value: '', name: 'any kind' },
            { value: 'film', name: 'film' },
          ]}
          value=""
        />
      </div>
      <p class="set"><Tick checked>may be passed on</Tick> <Tick>notes</Tick> <Tick disabled>no</Tick></p>
      <Choice
        label="Ends"
        options={[
          { value: '3', name: '3 days' },
          { value: '7', name: '7 days' },
          { value: 'at', name: 'Day and hour' },
          { value: 'off', name: 'Never', off: true },
        ]}
        bind:value={choice}
      />
      <Moment
        label="End"
        local="2026-12-03T18:00"
        zone="Europe/London"
        {read}
        change={() => undefined}
        clocks={[{ zone: 'America/New_York', who: 'Ayla Moran' }]}
        words={String}
      />
    </div>
    <div>
      <h2>What opens</h2>
      <p class="set">
        <Menu
          name="Menu"
          acts={[
            { name: 'Rename', note: 'F2', do: () => undefined },
            { name: 'Stop it', wrong: true, do: () => undefined },
            { name: 'Not now', off: true, do: () => undefined },
          ]}
        />
        <Popover name="Popover">Said on a slip, with room for more than acts.</Popover>
        <Button onclick={() => (dialog = true)}>Dialog</Button>
        <Button onclick={() => (drawer = true)}>Drawer</Button>
        <Tip says="A word or two about it"><Button look="link" onclick={() => undefined}>Tip</Button></Tip>
      </p>
      <Toast><span>Renamed to Lifeboat, cut 4.</span> <button>Undo</button></Toast>
      <h2>Where one is</h2>
      <Trail
        label="Path"
        steps={[
          { name: 'Gather', href: '/gather' },
          { name: 'Kelpwick Harbour Museum', href: '/gather' },
          { name: 'Lifeboat films' },
        ]}
      />
      <Tabs
        label="Parts"
        tabs={[
          { id: 'ledger', name: 'Ledger' },
          { id: 'notes', name: 'Notes', note: '3 open' },
        ]}
        bind:value={tab}
      >
        {#snippet children(id)}<p class="muted">What belongs to {id}.</p>{/snippet}
      </Tabs>
      <Editable label="What it is" value={about} placeholder="Say what it is" save={async (to) => void (about = to)} />
      <p><Paging at={page} of={7} what="Pages" turn={(to) => (page = to)} /></p>
      <h2>What it is</h2>
      <p class="set">
        {#each states as state (state)}<Ring {state} />{/each}
        <Badge>plain</Badge><Badge tone="main">current</Badge><Badge tone="late">ends soon</Badge><Badge tone="wrong"
          >refused</Badge
        ><Badge tone="seen">seen</Badge>
      </p>
      <Progress done={0.62} label="Uploaded" />
      <Strip
        bytes={[
          { start: 0, end: 500 },
          { start: 700, end: 900 },
        ]}
        size={1000}
        played={[{ start: 0, end: 300 }]}
        length={1000}
        complete={false}
        takes
        saying="partly"
      />
      <Table label="Packages">
        <thead><tr><th>Package</th><th>Weight</th></tr></thead>
        <tbody><tr><td>Lifeboat, cut 3</td><td class="figure">58 MB</td></tr></tbody>
      </Table>
      <Skeleton />
    </div>
  </section>
{/snippet}

<main class="wide">
  <h1>Look</h1>
  {@render all('light')}
  {@render all('room')}
</main>

<Dialog bind:open={dialog} title="Stop Lifeboat, cut 3" size="small">
  <p>Every link goes dead at once, and downloads that run are cut.</p>
  <p><Button look="wrong" onclick={() => (dialog = false)}>Stop it now</Button></p>
</Dialog>
<Drawer bind:open={drawer} title="What is on its way"><p>Three files.</p></Drawer>

<style>
  section {
    display: grid;
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    gap: var(--s-9) var(--s-12);
    padding: var(--s-8);
  }
  section > div {
    display: grid;
    align-content: start;
    gap: var(--s-6);
  }
  .set {
    display: flex;
    flex-wrap: wrap;
    gap: var(--s-5);
    align-items: center;
  }
  .fields {
    display: grid;
    gap: var(--s-5);
  }
  @media (--middle) {
    section {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
