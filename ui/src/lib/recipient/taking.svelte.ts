// What a recipient is about to download, and what the browser was given last. A
// browser says nothing about a download, so the page says what it is called and
// where it usually lands.
export class Taking {
  began = $state('');
  choosing = $state(false);
  chosen = $state<string[]>([]);

  took(name: string) {
    this.began = name;
  }
  choose() {
    this.choosing = !this.choosing;
    this.chosen = [];
  }
  toggle(id: string) {
    this.chosen = this.chosen.includes(id) ? this.chosen.filter((c) => c !== id) : [...this.chosen, id];
  }
}
