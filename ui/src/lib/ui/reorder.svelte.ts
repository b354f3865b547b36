const mark = 'application/x-aftergust-order';

/** Lines of a list that are put in order by drag, and by Alt with an arrow key. */
export class Reorder {
  #dragged = $state(-1);
  #over = $state(-1);
  #move: (from: number, to: number) => void;

  /** move puts the line at one place to another. */
  constructor(move: (from: number, to: number) => void) {
    this.#move = move;
  }

  /** whether what is dragged would come to this place */
  at = (n: number) => this.#over === n && this.#dragged !== n;

  /** what the line at a place listens to */
  line = (n: number) => ({
    draggable: 'true' as const,
    ondragstart: (event: DragEvent) => {
      this.#dragged = n;
      event.dataTransfer?.setData(mark, String(n));
    },
    ondragover: (event: DragEvent) => {
      if (this.#dragged < 0) return;
      event.preventDefault();
      this.#over = n;
    },
    ondragend: () => this.#end(),
    ondrop: (event: DragEvent) => {
      if (this.#dragged < 0) return; // files that are dropped are for the page
      event.preventDefault();
      event.stopPropagation();
      this.#move(this.#dragged, n);
      this.#end();
    },
    onkeydown: (event: KeyboardEvent) => {
      if (!event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return;
      event.preventDefault();
      this.#move(n, event.key === 'ArrowUp' ? n - 1 : n + 1);
    },
  });

  #end() {
    this.#dragged = this.#over = -1;
  }
}
