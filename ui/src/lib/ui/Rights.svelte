<!-- The rights of a recipient: a verb that holds is set, one that does not is struck through. -->
<script lang="ts">
  import { rights as all } from '$api/kinds';

  interface Props {
    rights: string[];
    who: string;
    change?: (rights: string[]) => void;
  }
  let { rights, who, change }: Props = $props();
  const verbs = all.filter((r) => r.offered);
  const toggle = (verb: string) =>
    change?.(rights.includes(verb) ? rights.filter((r) => r !== verb) : [...rights, verb]);
</script>

<span class="rights" role="group" aria-label="What {who} may do">
  {#each verbs as { name, word, means } (name)}
    {@const has = rights.includes(name)}
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
    gap: var(--s-1);
  }
  .rights > * {
    font-size: var(--t-small);
    line-height: 22px;
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
