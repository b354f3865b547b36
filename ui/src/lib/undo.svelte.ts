/** What was just done, for as long as it can be taken back from where it was done. */
class Undo {
  said = $state('');
  private back: (() => Promise<unknown>) | null = $state(null);
  private timer: ReturnType<typeof setTimeout> | undefined;

  can = $derived(this.back !== null);

  /** Says what was done; back takes it back. */
  did(said: string, back: (() => Promise<unknown>) | null = null) {
    clearTimeout(this.timer);
    this.said = said;
    this.back = back;
    this.timer = setTimeout(() => this.forget(), 15_000);
  }

  async take() {
    const back = this.back;
    this.forget();
    await back?.();
  }

  forget() {
    clearTimeout(this.timer);
    this.said = '';
    this.back = null;
  }
}

export const undo = new Undo();
