<!-- A button, or a link that acts like one. In a form, one without an act of its own sends the form. -->
<script lang="ts">
  import Button from 'flowbite-svelte/Button.svelte';
  import type { Snippet } from 'svelte';
  import type { HTMLAnchorAttributes, HTMLButtonAttributes } from 'svelte/elements';

  type Rest = Omit<HTMLButtonAttributes & HTMLAnchorAttributes, 'class' | 'color' | 'children' | 'type' | 'onclick'>;
  interface Props extends Rest {
    look?: 'plain' | 'main' | 'quiet' | 'wrong' | 'link';
    /** a class of the screen, for where it stands there */
    class?: string;
    onclick?: (event: MouseEvent) => void;
    children?: Snippet;
  }
  let { look = 'plain', class: where = '', href, onclick, children, ...rest }: Props = $props();
  const kind = $derived((href === undefined ? { type: onclick ? 'button' : 'submit' } : { href }) as object);
</script>

<Button {...rest as object} {...kind} {onclick} class="{look === 'link' ? 'link' : `button ${look}`} {where}"
  >{@render children?.()}</Button
>
