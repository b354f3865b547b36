<!-- What is on a showing, in its order: moved by drag, by menu and by keys. -->
<script lang="ts">
  import type { Schemas } from '$api/client';
  import Editable from '$lib/ui/Editable.svelte';
  import Menu from '$lib/ui/Menu.svelte';
  import { Reorder } from '$lib/ui/reorder.svelte';
  import Thumb from '$lib/ui/Thumb.svelte';

  interface Props {
    pieces: Schemas['ShownView'][];
    arrange: (order: string[]) => Promise<unknown>;
    name: (id: string, title: string) => Promise<void>;
    remove: (id: string) => Promise<unknown>;
  }
  let { pieces, arrange, name, remove }: Props = $props();
  let list = $state<HTMLElement>();

  function move(from: number, to: number) {
    const at = Math.min(Math.max(to, 0), pieces.length - 1);
    const ids = pieces.map((p) => p.id);
    const [id] = ids.splice(from, 1);
    if (!id || at === from) return;
    ids.splice(at, 0, id);
    void arrange(ids).then(() => list?.querySelector<HTMLElement>(`[data-piece="${id}"] button`)?.focus());
  }
  const order = new Reorder(move);
</script>

<ol bind:this={list}>
  {#each pieces as piece, n (piece.id)}
    <li data-piece={piece.id} class:over={order.at(n)} {...order.line(n)}>
      <span class="figure muted">{String(n + 1).padStart(2, '0')}</span>
      <Thumb item={{ ...piece, name: piece.title }} />
      <span class="name">
        <Editable
          value={piece.title}
          label="Title of piece {n + 1}"
          placeholder="as in Gather"
          max={160}
          save={(title) => name(piece.id, title)}
        />
        <span class="muted">{piece.about}</span>
      </span>
      <Menu
        name="⋯"
        label="More about {piece.title}"
        side="bottom-end"
        acts={[
          { name: 'Up', note: 'Alt ↑', off: n === 0, do: () => move(n, n - 1) },
          { name: 'Down', note: 'Alt ↓', off: n === pieces.length - 1, do: () => move(n, n + 1) },
          { name: 'To the beginning', off: n === 0, do: () => move(n, 0) },
          { name: 'Take it off', wrong: true, do: () => void remove(piece.id) },
        ]}
      />
    </li>
  {/each}
</ol>

<style>
  li {
    display: flex;
    align-items: center;
    gap: var(--s-5);
    padding: var(--s-3) 0;
    border-bottom: 1px solid var(--line);
  }
  li.over {
    border-bottom-color: var(--main);
  }
  .name {
    flex: 1;
    min-width: 0;
  }
  .name > * {
    display: block;
    overflow-wrap: anywhere;
  }
  .name .muted {
    font-size: var(--t-small);
  }
</style>
