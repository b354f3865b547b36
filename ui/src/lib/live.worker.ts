// A shared worker: one event stream for each address, for all tabs of a browser. Over HTTP/1.1 a browser opens six
// connections to a server; with a stream for each tab, the sixth tab would leave none for anything else.
import { Stream, type Change } from './stream';

/** What a tab asks for: to listen at an address, to stop, or to connect again as somebody else. */
export type Ask = { open: string } | { close: string } | { renew: true };
/** What a tab is told. */
export type Told = { address: string; change: Change } | { address: string; lost: boolean };

// What was announced this recently is repeated to a tab that joins: it may have loaded its page before. The server does
// the same for a stream that opens.
const remembered = 60_000;

class Line {
  readonly ports = new Set<MessagePort>();
  private lately: { at: number; change: Change }[] = [];
  readonly stream: Stream;
  private lost = false;

  constructor(private address: string) {
    this.stream = new Stream(
      address,
      (change) => {
        const now = Date.now();
        this.lately = [...this.lately.filter((l) => now - l.at < remembered), { at: now, change }];
        this.ports.forEach((port) => this.tell(port, { address, change }));
      },
      (lost) => {
        if (lost === this.lost) return;
        this.lost = lost;
        this.ports.forEach((port) => this.tell(port, { address, lost }));
      },
    );
  }
  private tell(port: MessagePort, what: Told) {
    port.postMessage(what);
  }
  join(port: MessagePort) {
    this.ports.add(port);
    this.stream.open(); // at once, where it was waiting to retry
    const since = Date.now() - remembered;
    for (const { at, change } of this.lately) if (at > since) this.tell(port, { address: this.address, change });
    if (this.lost) this.tell(port, { address: this.address, lost: true });
  }
}

const lines = new Map<string, Line>();

function leave(port: MessagePort, address: string) {
  const line = lines.get(address);
  if (!line?.ports.delete(port) || line.ports.size) return;
  line.stream.close();
  lines.delete(address);
}

function answer(port: MessagePort, ask: Ask) {
  if ('open' in ask) {
    let line = lines.get(ask.open);
    if (!line) lines.set(ask.open, (line = new Line(ask.open)));
    line.join(port);
  } else if ('close' in ask) leave(port, ask.close);
  else
    for (const { stream } of lines.values()) {
      stream.close();
      stream.open();
    }
}

(globalThis as unknown as { onconnect: (event: MessageEvent) => void }).onconnect = ({ ports: [port] }) => {
  if (!port) return;
  port.onmessage = ({ data }: MessageEvent<Ask>) => answer(port, data);
  // A tab that crashed says nothing; browsers that tell of it tell here.
  port.addEventListener('close', () => [...lines.keys()].forEach((address) => leave(port, address)));
};
