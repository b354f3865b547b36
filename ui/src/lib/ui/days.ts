/** What the calendar says to screen readers, set right: its days lie in no rows, so they are no grid but buttons. */
export function plainDays(box: HTMLElement) {
  const mend = () => {
    for (const one of box.querySelectorAll('[role=grid], [role=columnheader], [role=dialog]'))
      one.removeAttribute('role');
    for (const day of box.querySelectorAll('[role=gridcell]')) day.removeAttribute('role');
    for (const day of box.querySelectorAll('[aria-selected]')) {
      day.setAttribute('aria-pressed', day.getAttribute('aria-selected') ?? 'false');
      day.removeAttribute('aria-selected');
    }
  };
  mend();
  const watch = new MutationObserver(mend);
  watch.observe(box, { subtree: true, childList: true, attributes: true, attributeFilter: ['role', 'aria-selected'] });
  return () => watch.disconnect();
}
