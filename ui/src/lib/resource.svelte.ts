import { words } from '$api/client';

/**
 * What a screen shows of the server. What is on screen stays while it is asked for again; an answer that was
 * overtaken is dropped; a failure is kept in words until something succeeds.
 */
export class Resource<T> {
  value = $state<T>();
  problem = $state('');
  private turn = 0;

  constructor(private readonly ask: () => Promise<T>) {}

  /** Nothing has come yet, and nothing has failed. */
  waits = $derived(this.value === undefined && !this.problem);

  load = async () => {
    const turn = ++this.turn;
    try {
      const value = await this.ask();
      if (turn !== this.turn) return;
      this.value = value;
      this.problem = '';
    } catch (thrown) {
      if (turn === this.turn) this.problem = words(thrown);
    }
  };

  /** Forgets what is shown, for another of its kind. */
  clear() {
    this.turn++;
    this.value = undefined;
    this.problem = '';
  }
}
