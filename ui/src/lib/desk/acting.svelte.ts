import { api, need, words, type PackageRow } from '$api/client';
import { zone as here } from '$lib/time';
import { undo } from '$lib/undo.svelte';
import { SvelteSet } from 'svelte/reactivity';
import { day, ends, hour, inWords, local, snapped } from './horizon';

/** What is done to packages from the Horizon: their ends are moved, and who is outstanding is reminded. */
export class Acting {
  /** what went wrong with the last of it */
  problem = $state('');
  /** the package whose end is held; none where empty */
  holds = $state('');
  /** where the held end would be, in milliseconds of the clock, until it is let go */
  to = $state(0);
  private begun = 0;
  private readonly reminding = new SvelteSet<string>();

  constructor(
    private readonly now: () => Date,
    private readonly changed: () => void,
  ) {}

  endOf = (row: PackageRow) => (this.holds === row.id ? this.to : ends(row));
  private bounded(at: number) {
    const now = this.now().getTime();
    return Math.min(now + 365 * day - hour, Math.max(now + hour / 4, at));
  }

  /** The pointer holds the end, at clientX x. */
  take(row: PackageRow, x: number) {
    [this.holds, this.to, this.begun] = [row.id, ends(row), x];
  }
  /** The pointer is at x; it is not yet a drag within three pixels. */
  drag(row: PackageRow, x: number, perPixel: number) {
    if (this.holds !== row.id || Math.abs(x - this.begun) < 3) return;
    this.to = this.bounded(snapped(ends(row) + (x - this.begun) * perPixel, perPixel));
  }
  /** Moves the end by so many milliseconds; it is held from then on. */
  by(row: PackageRow, by: number) {
    if (this.holds !== row.id) [this.holds, this.to] = [row.id, ends(row)];
    this.to = this.bounded(this.to + by);
  }
  /** The end stays where it was. */
  leave(row: PackageRow) {
    if (this.holds !== row.id) return false;
    this.holds = '';
    return true;
  }
  /** The end is set where it is held. */
  async drop(row: PackageRow) {
    if (this.holds !== row.id) return;
    const before = ends(row);
    if (this.to === before) return void (this.holds = '');
    try {
      await this.set(row, this.to);
      this.problem = '';
      undo.did(`${row.title} ends ${inWords(this.to)}.`, () => this.set(row, before));
    } catch (thrown) {
      this.problem = words(thrown);
    } finally {
      this.holds = '';
    }
  }
  private async set(row: PackageRow, at: number) {
    const zone = row.zone || here;
    await need(
      api.POST('/api/v1/packages/{id}/extend', {
        params: { path: { id: row.id } },
        body: { kind: 'at', local: local(at, zone), zone },
      }),
    );
    this.changed();
  }

  async remind(row: PackageRow) {
    if (this.reminding.has(row.id)) return;
    this.reminding.add(row.id);
    try {
      const did = await need(api.POST('/api/v1/packages/{id}/remind', { params: { path: { id: row.id } } }));
      const some = did.reminded ?? [];
      this.problem = '';
      undo.did(some.length ? `${row.title}: reminded ${some.join(', ')}.` : `${row.title}: nobody was reminded. ${did.left?.[0]?.why ?? ''}`); // prettier-ignore
      this.changed();
    } catch (thrown) {
      this.problem = words(thrown);
    } finally {
      this.reminding.delete(row.id);
    }
  }
}
