import { api, need, type Item, type Package, type Schemas } from '$api/client';
import { live } from '$lib/live.svelte';
import { Turns } from '$lib/turns';
import { untrack } from 'svelte';

// What people have ticked in the sheets of a package. Made while a component is.
export class Ticks {
  #all = $state<Schemas['TickView'][]>([]);

  constructor(parcel: () => Package) {
    const id = $derived(parcel().id);
    const lists = $derived(parcel().items.some((i) => i.tasks?.length));
    // What cannot be had now is had with the next change; the sheets show without.
    const turns = new Turns();
    const load = async () => {
      const latest = turns.take();
      const asked = id;
      const all = await need(api.GET('/api/v1/packages/{id}/ticks', { params: { path: { id } } })).catch(
        () => undefined,
      );
      if (all && asked === id && latest()) this.#all = all;
    };
    $effect(() => {
      if (id && lists) untrack(() => void load());
    });
    live(
      () => (lists ? '/api/v1/live' : ''),
      (change) => {
        if (change.what === 'resync' || (change.package === id && change.what === 'ledger')) void load();
      },
    );
  }

  /** Who has ticked the tasks of a sheet, by their keys. */
  by(item: Item): Record<string, string> {
    const by: Record<string, string> = {};
    for (const t of this.#all.filter((t) => t.item === item.id))
      by[t.task] = by[t.task] ? `${by[t.task]}, ${t.who}` : t.who;
    return by;
  }
  /** How far people are with the list of a sheet; empty where it has none. */
  saying(item: Item): string {
    const tasks = item.tasks ?? [];
    if (!tasks.length) return '';
    const done: Record<string, number> = {};
    for (const t of this.#all)
      if (t.item === item.id && tasks.some((task) => task.key === t.task)) done[t.who] = (done[t.who] ?? 0) + 1;
    const said = Object.entries(done).map(([who, n]) => `${who} ticked ${n} of ${tasks.length}`);
    return said.join('; ') || `${tasks.length} to do, nothing ticked yet`;
  }
}
