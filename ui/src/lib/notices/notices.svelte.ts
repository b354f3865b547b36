import { api, need, type Schemas } from '$api/client';

export type Notice = Schemas['NoticeView'];

/** Where a notice leads: to the note that it is about, or to its package. */
export const leadsTo = (n: Notice) =>
  n.note && n.item ? `/packages/${n.package}/room?item=${n.item}&note=${n.note}` : `/packages/${n.package}`;

/** whether this browser shows what is new beside the page */
const shows = 'aftergust.notices';
const able = () => 'Notification' in globalThis;

/** What one has not seen of what happened, and whether this browser says so. */
class Notices {
  unseen = $state(0);
  more = $state(false);
  /** whether what is new is shown outside the page */
  shown = $state(able() && Notification.permission === 'granted' && localStorage.getItem(shows) === 'on');
  private last = 0;

  async load() {
    try {
      const { count, more } = await need(api.GET('/api/v1/notices/unseen'));
      const grew = count > this.unseen;
      this.unseen = count;
      this.more = more;
      if (grew && this.shown) await this.tell();
    } catch {
      // the number waits for the next change; the page of notices says what is wrong
    }
  }

  /** Shows what is new outside the page, each once. */
  private async tell() {
    const { notices } = await need(api.GET('/api/v1/notices', {}));
    const fresh = (notices ?? []).filter((n) => !n.seen && n.id > this.last);
    const first = this.last === 0;
    this.last = Math.max(this.last, ...fresh.map((n) => n.id));
    if (first && fresh.length > 1) fresh.splice(1); // what waited before the page was opened is not news
    for (const n of fresh.slice(0, 3).reverse()) {
      const shown = new Notification(n.title, { body: n.says, tag: `aftergust-${n.id}` });
      shown.onclick = () => {
        window.focus();
        location.assign(leadsTo(n));
      };
    }
  }

  /** Turns it on, once the browser allows it, or off. Returns what stands in the way, in words. */
  async show(on: boolean): Promise<string> {
    if (on && !able()) return 'This browser cannot show anything beside the page.';
    if (on && (await Notification.requestPermission()) !== 'granted')
      return 'The browser does not allow it for this site. Allow it in its settings for this page, and try again.';
    localStorage.setItem(shows, on ? 'on' : 'off');
    this.shown = on;
    return '';
  }

  async see(until: number) {
    await need(api.POST('/api/v1/notices/seen', { body: { until } }));
    this.unseen = 0;
    this.more = false;
  }
}

export const notices = new Notices();
