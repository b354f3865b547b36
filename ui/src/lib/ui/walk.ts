/** Moves the focus among what can be pressed inside box, as the arrow keys, Home and End ask. Says whether it did. */
export function step(box: HTMLElement, key: string): boolean {
  const all = [...box.querySelectorAll<HTMLElement>(':is(a, button, input, [tabindex="0"]):not(:disabled)')];
  const at = all.indexOf(document.activeElement as HTMLElement);
  const to = { ArrowDown: at + 1, ArrowUp: at < 0 ? -1 : at - 1, Home: 0, End: -1 }[key];
  if (to === undefined || !all.length) return false;
  all.at(to % all.length)?.focus();
  return true;
}
