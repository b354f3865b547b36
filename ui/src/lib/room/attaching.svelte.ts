import { words, type Attachment } from '$api/client';
import type { Seat } from './seat';

/** Voices and pictures that are to lie at a note or an answer. Each is kept at the server as it is made. */
export class Attaching {
  all = $state.raw<Attachment[]>([]);
  /** what is under way, in words */
  busy = $state('');
  problem = $state('');
  recording = $state(false);

  constructor(
    private seat: Seat,
    private item: string,
    begun: Attachment[] = [],
  ) {
    this.all = begun;
  }
  get ids() {
    return this.all.map((a) => a.id);
  }
  async attach(kind: Attachment['kind'], content: Blob) {
    this.recording = false;
    this.busy = kind === 'voice' ? 'Keeping the voice' : 'Keeping the picture';
    this.problem = '';
    try {
      this.all = [...this.all, await this.seat.attach(this.item, kind, content)];
    } catch (thrown) {
      this.problem = words(thrown);
    }
    this.busy = '';
  }
  /** Takes the first picture of what was pasted, dropped or chosen; false where there is none. */
  take(files: FileList | undefined | null) {
    const picture = [...(files ?? [])].find((f) => f.type.startsWith('image/'));
    if (picture) void this.attach('picture', picture);
    return Boolean(picture);
  }
  drop(one: Attachment) {
    this.all = this.all.filter((a) => a !== one);
  }
  clear() {
    this.all = [];
    this.problem = '';
  }
}
