<!-- One line of text to fill in. Its label, hint and problem belong to it, so that a screen reader says them. -->
<script lang="ts">
  import Input from 'flowbite-svelte/Input.svelte';
  import type { HTMLInputAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLInputAttributes, 'value' | 'size' | 'class'> {
    value?: string;
    label?: string;
    hint?: string;
    problem?: string;
    /** the one who types went elsewhere; not said when a list moves the field under the cursor */
    onleft?: () => void;
    /** the field itself, to put the cursor into it */
    box?: HTMLInputElement;
    class?: string;
  }
  const uid = $props.id();
  let {
    value = $bindable(),
    box = $bindable(),
    label,
    hint,
    problem,
    class: where = '',
    onleft,
    id = uid,
    ...rest
  }: Props = $props();
  const said = $derived([hint && `${id}-hint`, problem && `${id}-problem`].filter(Boolean).join(' ') || undefined);

  // A list that is put in another order takes its lines out and in again, and the cursor would be gone with
  // half a word: it is put back.
  let moves: MutationObserver | undefined;
  function came() {
    moves = new MutationObserver((changes) => {
      const out = changes.some((c) => [...c.removedNodes].some((n) => n.contains(box ?? null)));
      if (out && box?.isConnected) box.focus();
    });
    moves.observe(document.body, { childList: true, subtree: true });
  }
  function went() {
    setTimeout(() => {
      if (box && document.activeElement === box) return;
      moves?.disconnect();
      onleft?.();
    });
  }
  const watched = $derived(onleft && { onfocus: came, onblur: went });
</script>

{#if label}<label class="label" for={id}>{label}</label>{/if}
<Input
  bind:value
  bind:elementRef={box}
  aria-describedby={said}
  aria-invalid={problem ? 'true' : undefined}
  {...rest as object}
  {...watched}
  {id}
  class="field {where}"
/>
{#if hint}<p class="hint" id="{id}-hint">{hint}</p>{/if}
{#if problem}<p class="problem" id="{id}-problem" role="alert">{problem}</p>{/if}
