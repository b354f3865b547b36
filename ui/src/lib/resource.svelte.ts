import { words } from '$api/client';
import { Turns } from './turns';

/**
 * What a screen shows of the server. What is on screen stays while it is asked for again; an answer that was
 * overtaken is dropped; a failure is kept in words until something succeeds.
 */
export class Resource<T> {
  value = $state<T>();
  problem = $state('');
  private turns = new Turns();

  constructor(private readonly ask: () => Promise<T>) {}

  /** Nothing has come yet, and nothing has failed. */
  waits = $derived(this.value === undefined && !this.problem);

  load = async () => {
    const latest = this.turns.take();
    try {
      const value = await this.ask();
      if (!latest()) return;
      this.value = value;
      this.problem = '';
    } catch (thrown) {
      if (latest()) this.problem = words(thrown);
    }
  };

  /** Forgets what is shown, for another of its kind. */
  clear() {
    this.turns.drop();
    this.value = undefined;
    this.problem = '';
  }
}
