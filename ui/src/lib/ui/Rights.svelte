<!-- The rights of a recipient: a verb that holds is set, one that does not is struck through. -->
<script lang="ts">
  import { rights as all } from '$api/kinds';

  interface Props {
    rights: string[];
    who: string;
    /** asks for others, and says when that is answered and shown */
    change?: (rights: string[]) => Promise<void>;
  }
  let { rights, who, change }: Props = $props();
  const verbs = all.filter((r) => r.offered);

  /** what was pressed last, until that is answered: the next press is about what this one made */
  let asked = $state.raw<string[]>();
  let before = Promise.resolve();
  const held = $derived(asked ?? rights);
  async function toggle(verb: string) {
    const mine = held.includes(verb) ? held.filter((r) => r !== verb) : [...held, verb];
    asked = mine;
    before = before.then(() => (asked === mine ? change?.(mine) : undefined)); // one after another, of several the last
    await before;
    if (asked === mine) asked = undefined;
  }
</script>

<span class="rights" role="group" aria-label="What {who} may do">
  {#each verbs as { name, word, means } (name)}
    {@const has = held.includes(name)}
    {#if change}
      <button
        type="button"
        aria-pressed={has}
        title="{who} {has ? 'may' : 'may not'} {means}"
        onclick={() => toggle(name)}>{word}</button
      >
    {:else}
      <span class:has title="{who} {has ? 'may' : 'may not'} {means}"
        >{word}<span class="visually-hidden">{has ? '' : ' not allowed'}</span></span
      >
    {/if}
  {/each}
</span>

<style>
  .rights {
    display: inline-flex;
    flex-wrap: wrap;
    gap: var(--s-1);
  }
  .rights > * {
    font-size: var(--t-small);
    line-height: 22px;
    white-space: nowrap;
    padding: 0 var(--s-2);
    border-radius: 2px;
    color: var(--muted);
    text-decoration: line-through;
    border: 1px solid transparent;
  }
  button {
    min-height: 26px;
  }
  button[aria-pressed='false'] {
    border-color: var(--line);
  }
  .has,
  button[aria-pressed='true'] {
    background: var(--main-faint);
    color: var(--main);
    text-decoration: none;
    font-weight: 600;
  }
  button:hover {
    border-color: var(--main);
  }
</style>
