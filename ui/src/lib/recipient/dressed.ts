import type { GuestPage } from '$api/client';

const faces: Record<string, string> = {
  hanken: "'Hanken Grotesk Variable', 'Hanken Grotesk', 'Helvetica Neue', Arial, sans-serif",
  red_hat: "'Red Hat Mono Variable', 'Red Hat Mono', ui-monospace, Menlo, monospace",
};

/** Puts a page in the colours and the typeface of a letterhead; returns how it is undone. */
export function dress(page: HTMLElement, head: GuestPage['letterhead'] | undefined): () => void {
  if (!head) return () => undefined;
  const set = Object.entries(head.colours).map(([name, value]) => [`--${name}`, value] as const);
  const face = faces[head.typeface];
  const all = face ? [...set, ['--font-display', face] as const] : set;
  for (const [name, value] of all) page.style.setProperty(name, value);
  return () => {
    for (const [name] of all) page.style.removeProperty(name);
  };
}
