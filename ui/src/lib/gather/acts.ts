import { goto } from '$app/navigation';
import { resolve } from '$app/paths';
import { api, need, type Place, type Thing } from '$api/client';
import { count } from '$lib/count';
import { undo } from '$lib/undo.svelte';
import { gather } from './gather.svelte';

/** What can be done with things, each with the way back where there is one. */

export interface Selection {
  items: string[];
  places: string[];
}

export const counted = (n: number, one = 'thing', many = `${one}s`) => count(n, one, many);
const sizeOf = (s: Selection) => s.items.length + s.places.length;

/** Tags as they are typed, with commas between. */
export const tagsOf = (typed: string) =>
  typed
    .split(',')
    .map((t) => t.trim())
    .filter(Boolean);

export async function remove(selection: Selection) {
  const deletion = await need(api.POST('/api/v1/things/delete', { body: selection }));
  gather.none();
  await gather.load();
  undo.did(`${deletion.name} is let go, and kept for 30 days.`, async () => {
    await need(api.POST('/api/v1/let-go/{id}/restore', { params: { path: { id: deletion.id } } }));
    await gather.load();
  });
}

export async function move(selection: Selection, to: Place) {
  const from = gather.here;
  await need(api.POST('/api/v1/things/move', { body: { ...selection, to: to.id } }));
  gather.none();
  await gather.load();
  const straight = from && gather.where.view === 'inside' && !gather.filtered;
  undo.did(
    `${counted(sizeOf(selection))} moved to ${to.name}.`,
    straight
      ? async () => {
          await need(api.POST('/api/v1/things/move', { body: { ...selection, to: from.id } }));
          await gather.load();
        }
      : null,
  );
}

export async function copy(selection: Selection, to: Place) {
  await need(api.POST('/api/v1/things/copy', { body: { ...selection, to: to.id } }));
  await gather.load();
  undo.did(`${counted(sizeOf(selection), 'copy', 'copies')} put in ${to.name}. Bytes are kept once.`);
}

export async function tag(things: Pick<Thing, 'id' | 'tags'>[], add: string[], drop: string[]) {
  const items = things.map((t) => t.id);
  // The way back leaves alone what was tagged so before, or never was.
  const changed = [...add, ...drop].map((name) => ({
    name,
    items: things.filter((t) => t.tags.includes(name) === drop.includes(name)).map((t) => t.id),
  }));
  await need(api.POST('/api/v1/things/tag', { body: { items, add, remove: drop } }));
  await gather.load();
  const said = add.length
    ? `Tagged ${counted(items.length)} ${add.join(', ')}.`
    : `Took ${drop.join(', ')} off ${counted(items.length)}.`;
  undo.did(said, async () => {
    for (const { name, items } of changed) {
      if (!items.length) continue;
      const [back, off] = drop.includes(name) ? [[name], []] : [[], [name]];
      await need(api.POST('/api/v1/things/tag', { body: { items, add: back, remove: off } }));
    }
    await gather.load();
  });
}

export async function keepAtHand(selection: Selection, on: boolean) {
  await need(api.POST('/api/v1/things/at-hand', { body: { ...selection, on } }));
  await gather.load();
}

export async function order(items: string[], before: string) {
  await need(api.POST('/api/v1/things/order', { body: { items, before } }));
  await gather.load();
}

export async function join(lead: string, items: string[]) {
  await need(api.POST('/api/v1/things/{id}/renditions', { params: { path: { id: lead } }, body: { items } }));
  gather.choose(lead);
  await gather.load();
  undo.did(`${counted(items.length + 1, 'format', 'formats')} shown as one thing.`, async () => {
    for (const id of items) await need(api.POST('/api/v1/things/{id}/part', { params: { path: { id } } }));
    await gather.load();
  });
}

/** Takes things as one ZIP; one file goes as it is. */
export async function take(selection: Selection) {
  const only = gather.pickedThings[0];
  if (selection.items.length === 1 && !selection.places.length && only?.kind === 'file' && !only.renditions)
    save(`${only.look}original`);
  else await takeTogether(selection);
}

/** Takes things, folders and all formats of each, as one ZIP. */
export async function takeTogether(selection: Selection) {
  save((await need(api.POST('/api/v1/things/select', { body: selection }))).address);
}

function save(address: string) {
  const link = document.createElement('a');
  link.href = address;
  link.download = '';
  link.click();
  undo.did('Your browser saves it, usually in Downloads. If it breaks off, it goes on where it stopped.');
}

/** Puts things on a page for finished work, or on a new one where there is none as yet. */
export async function show(selection: Selection, showing: string, title = '') {
  const made = showing
    ? await need(api.POST('/api/v1/showings/{id}/pieces', { params: { path: { id: showing } }, body: selection }))
    : await need(api.POST('/api/v1/showings', { body: { title, ...selection } }));
  await goto(resolve('/(studio)/showings/[id]', { id: made.id }));
}

export async function pack(selection: Selection, parcel: string) {
  const made = await need(api.POST('/api/v1/things/pack', { body: { ...selection, package: parcel } }));
  await goto(resolve('/(studio)/packages/[id]', { id: made.id }));
}
