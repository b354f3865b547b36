<!-- A line of text that is changed where it stands: a press makes it a field, Enter keeps it, Escape leaves it. -->
<script lang="ts">
  import Field from './Field.svelte';

  interface Props {
    value: string;
    /** what it is, for screen readers */
    label: string;
    /** what stands there while nothing does */
    placeholder: string;
    save: (value: string) => Promise<void>;
    max?: number;
  }
  let { value, label, placeholder, save, max = 200 }: Props = $props();
  let editing = $state(false);
  let typed = $state('');
  let button = $state<HTMLButtonElement>();

  async function keep() {
    if (!editing) return;
    editing = false;
    if (typed.trim() !== value) await save(typed.trim());
  }
  function key(event: KeyboardEvent) {
    event.stopPropagation();
    if (event.key === 'Enter') {
      event.preventDefault();
      void keep().then(() => button?.focus());
    } else if (event.key === 'Escape') {
      editing = false;
      setTimeout(() => button?.focus());
    }
  }
</script>

{#if editing}
  <Field aria-label={label} bind:value={typed} maxlength={max} autofocus onleft={keep} onkeydown={key} class="edited" />
{:else}
  <button class:none={!value} bind:this={button} onclick={() => ((typed = value), (editing = true))}
    ><span class="visually-hidden">{label}:</span>
    {value || placeholder}<span class="visually-hidden">, change it</span></button
  >
{/if}

<style>
  button {
    min-height: 24px;
    text-align: left;
    color: var(--muted);
    border-bottom: 1px dashed transparent;
    overflow-wrap: anywhere;
  }
  button:hover {
    border-bottom-color: var(--perforation);
  }
  .none {
    font-style: italic;
  }
</style>
