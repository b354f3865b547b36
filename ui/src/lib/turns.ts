/**
 * The order in which a screen asked. Answers overtake each other on the way, and one must not be replaced by what was
 * so before it. Waiting for the last one instead would show nothing at all where changes come faster than answers.
 */
export class Turns {
  private asked = 0;
  private shown = 0;

  /** Takes a turn. What it returns says whether its answer may be shown: nothing asked later is on screen. */
  take(): () => boolean {
    const turn = ++this.asked;
    return () => turn >= this.shown && ((this.shown = turn), true);
  }
  /** Lets nothing through that is still on its way. */
  drop() {
    this.shown = ++this.asked;
  }
}
