import type { Attachment } from 'svelte/attachments';

/**
 * Lights those of many elements that stand for one of the notes at the playhead (data-note is its id), and takes the light
 * from the others: while it plays only what changes is touched. It is attached anew with each change of lit, or of what is
 * drawn.
 */
export function lights(lit: string[], drawn: unknown[]): Attachment<HTMLElement> {
  return (list) => {
    for (const one of list.querySelectorAll<HTMLElement>('[data-lit]'))
      if (!lit.includes(one.dataset.note ?? '')) one.removeAttribute('data-lit');
    if (!drawn.length) return;
    for (const id of lit)
      for (const one of list.querySelectorAll(`[data-note="${CSS.escape(id)}"]`)) one.setAttribute('data-lit', '');
  };
}
