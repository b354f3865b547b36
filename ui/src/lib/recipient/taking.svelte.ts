import type { GuestPage } from '$api/client';

// What a recipient is about to download, and what the browser was given last. A
// browser says nothing about a download, so the page says what it is called and
// where it usually lands; and when what they began is not what is here any more.
export class Taking {
  began = $state('');
  choosing = $state(false);
  chosen = $state<string[]>([]);
  #was = $state('');

  took(name: string, guest?: GuestPage) {
    this.began = name;
    this.#was = guest ? contents(guest) : '';
  }
  /** whether the contents have changed since all of them were begun */
  outdated(guest: GuestPage) {
    return this.#was !== '' && this.#was !== contents(guest);
  }
  choose() {
    this.choosing = !this.choosing;
    this.chosen = [];
  }
  toggle(id: string) {
    this.chosen = this.chosen.includes(id) ? this.chosen.filter((c) => c !== id) : [...this.chosen, id];
  }
}

// The addresses of originals name their versions.
const contents = (guest: GuestPage) => JSON.stringify([guest.count, guest.size, guest.items.map((i) => i.take)]);
