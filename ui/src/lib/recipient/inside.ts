import { api, need, type GuestPage } from '$api/client';

/** A page of what lies in the package of a link. */
export const itemsOf = (link: string) => (after: string) =>
  need(api.GET('/api/v1/r/{link}/items', { params: { path: { link }, query: { after } } }));

/** The package with one more page of its items. */
export async function further(link: string, guest: GuestPage): Promise<GuestPage> {
  if (!guest.next) return guest;
  const next = await itemsOf(link)(guest.next);
  return { ...guest, items: [...guest.items, ...next.items], next: next.next };
}

const beat = 20_000; // ms; the studio takes somebody to be there for half a minute after

/** Tells the studio that somebody is here while the page is in front, until the answer is called. */
export function present(link: string): () => void {
  const say = () => {
    if (document.visibilityState === 'visible') void fetch(`/api/v1/r/${link}/here`, { method: 'POST' }).catch(() => undefined); // prettier-ignore
  };
  say();
  const timer = setInterval(say, beat);
  document.addEventListener('visibilitychange', say);
  return () => {
    clearInterval(timer);
    document.removeEventListener('visibilitychange', say);
  };
}
