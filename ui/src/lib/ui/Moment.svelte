<!-- A day and an hour without doubt: typed as people say it, or taken from a calendar; the zone named; what it comes
     to said in full. -->
<script lang="ts" module>
  /** A moment as the server understood it. */
  export interface Reading {
    local: string;
    says: string;
    wall: string;
    left: string;
    twice: string;
    clocks: { zone: string; says: string }[];
  }
</script>

<script lang="ts">
  import Button from './Button.svelte';
  import Field from './Field.svelte';
  import Popover from './Popover.svelte';

  interface Props {
    label: string;
    /** on the clock of the zone, as 2026-12-03T18:00 */
    local: string;
    /** IANA time zone */
    zone: string;
    /** reads what was typed; throws with what to write instead */
    read: (text: string, zone: string, usual: string) => Promise<Reading>;
    change: (local: string, zone: string) => void;
    /** whose clocks it is said on, by zone */
    clocks?: { zone: string; who: string }[];
    words: (thrown: unknown) => string;
  }
  let { label, local, zone, read, change, clocks = [], words }: Props = $props();

  let typed = $state('');
  let editing = $state(false);
  let reading = $state<Reading>();
  let problem = $state('');
  let calendar = $state(false);
  let elsewhere = $state(false);
  let turn = 0;
  const zones = Intl.supportedValuesOf('timeZone');
  const city = (name: string) => name.slice(name.lastIndexOf('/') + 1).replaceAll('_', ' ');
  const usual = $derived(local.slice(11) || '18:00');
  const day = $derived(local ? new Date(`${local.slice(0, 10)}T12:00`) : undefined);
  const tomorrow = new Date();
  const farthest = new Date(Date.now() + 365 * 86_400_000);

  async function understand(text: string, where: string, set: boolean) {
    const mine = ++turn;
    try {
      const said = await read(text, where, usual);
      if (mine !== turn) return;
      reading = said;
      problem = '';
      if (set && (said.local !== local || where !== zone)) change(said.local, where);
    } catch (thrown) {
      if (mine !== turn) return;
      problem = words(thrown);
    }
  }
  let known = '';
  $effect(() => {
    if (!local || known === local + zone) return;
    known = local + zone;
    void understand(local, zone, false);
  });
  let timer: ReturnType<typeof setTimeout> | undefined;
  function type() {
    clearTimeout(timer);
    timer = setTimeout(() => typed.trim() && void understand(typed, zone, false), 200);
  }
  async function settle() {
    clearTimeout(timer);
    if (typed.trim() && typed !== said) await understand(typed, zone, true);
    editing = false;
  }
  const said = $derived(reading?.wall ?? '');
  const shown = $derived(editing ? typed : problem ? typed : said);
</script>

<div class="moment" role="group" aria-label={label}>
  <div class="line">
    <Field
      aria-label={label}
      placeholder="fri 18, in 9 days, 3 dec 18:00"
      bind:value={() => shown, (to) => (typed = to)}
      onfocus={(e) => ((editing = true), (typed = said), e.currentTarget.select())}
      oninput={type}
      onblur={settle}
      onkeydown={(e) => {
        if (e.key !== 'Enter') return;
        e.preventDefault();
        void settle();
      }}
      autocomplete="off"
      spellcheck={false}
      aria-invalid={problem ? 'true' : undefined}
    />
    <Popover name="Calendar" bind:open={calendar} side="bottom-end">
      {#await import('./Days.svelte') then { default: Days }}
        <Days
          value={day}
          from={tomorrow}
          to={farthest}
          pick={(to) => {
            calendar = false;
            typed = '';
            const date = `${to.getFullYear()}-${String(to.getMonth() + 1).padStart(2, '0')}-${String(to.getDate()).padStart(2, '0')}`;
            void understand(`${date} ${usual}`, zone, true);
          }}
        />
      {/await}
    </Popover>
  </div>
  {#if problem}
    <p class="problem" role="alert">{problem}</p>
  {:else if reading}
    <p class="says" aria-live="polite">
      <strong>{reading.says}</strong> <span class="muted">in {reading.left}</span>
      {#if !elsewhere}<Button look="link" onclick={() => (elsewhere = true)}>Another zone</Button>{/if}
    </p>
    {#if reading.twice}<p class="late">{reading.twice}</p>{/if}
    {#each clocks.filter((c) => c.zone && c.zone !== zone) as c, i (i)}
      {@const there = reading.clocks.find((r) => r.zone === c.zone)}
      {#if there}<p class="muted clock">{c.who}: <span>{there.says}</span></p>{/if}
    {/each}
  {/if}
  {#if elsewhere}
    <Field
      label="Time zone"
      list="zones"
      value={zone}
      onchange={(e) => {
        const to = e.currentTarget.value.trim();
        const known = zones.find(
          (z) => z.toLowerCase() === to.toLowerCase() || city(z).toLowerCase() === to.toLowerCase(),
        );
        void understand(local, known ?? to, true);
      }}
    />
    <datalist id="zones"
      >{#each zones as name (name)}<option value={name}></option>{/each}</datalist
    >
  {/if}
</div>

<style>
  .moment {
    display: grid;
    gap: var(--s-3);
    margin-top: var(--s-3);
    width: 100%;
  }
  .line {
    display: flex;
    gap: var(--s-3);
  }
  .line > :global(.field) {
    flex: 1;
  }
  .says strong {
    font-weight: 600;
  }
  .says :global(.link) {
    margin-left: var(--s-3);
  }
  .clock {
    font-size: var(--t-small);
  }
</style>
