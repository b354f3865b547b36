export interface Change {
  package: string;
  what: 'waybill' | 'contents' | 'ledger' | 'notes' | 'letters' | 'gather' | 'media' | 'resync';
}

/**
 * Calls changed for everything that the server announces at address, until the
 * component that asked for it goes. A burst comes as one call for each kind.
 */
export function live(address: string, changed: (change: Change) => void) {
  $effect(() => {
    let first = true;
    let pending: Record<string, Change> = {};
    let timer: ReturnType<typeof setTimeout> | undefined;
    const later = (change: Change) => {
      pending[change.what + change.package] = change;
      timer ??= setTimeout(() => {
        const burst = Object.values(pending);
        pending = {};
        timer = undefined;
        burst.forEach(changed);
      }, 120);
    };
    const source = new EventSource(address);
    source.onmessage = (event) => later(JSON.parse(event.data as string) as Change);
    source.onopen = () => {
      if (!first) later({ package: '', what: 'resync' }); // something may have been missed
      first = false;
    };
    return () => {
      clearTimeout(timer);
      source.close();
    };
  });
}

/** A clock that ticks, so that times left stay true. */
class Clock {
  now = $state(new Date());
  constructor() {
    setInterval(() => (this.now = new Date()), 15_000);
  }
}

export const clock = new Clock();
