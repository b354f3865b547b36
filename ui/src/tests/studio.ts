/**
 * A stand-in for the server in tests of components: it gives the answers that a
 * test set, and keeps what it was asked. What nobody set is refused aloud.
 */
export interface Asked {
  line: string; // method and path, as GET /api/v1/let-go
  query: Record<string, string>;
  body: unknown;
}

/** A body as it was meant: JSON, or bytes that are none. */
function parsed(text: string): unknown {
  try {
    return text ? JSON.parse(text) : undefined;
  } catch {
    return text;
  }
}

type Reply = (asked: Asked) => { status: number; body: unknown };

class Studio {
  asked: Asked[] = [];
  private replies: { pattern: RegExp; reply: Reply }[] = [];

  /**
   * Answers a line, in which * stands for one part of a path, at once or when a promise is kept. A later
   * answer goes before an earlier one.
   */
  answers(line: string, body: unknown | ((asked: Asked) => unknown) = undefined) {
    this.on(line, (asked) => ({
      status: body === undefined ? 204 : 200,
      body: typeof body === 'function' ? (body as (asked: Asked) => unknown)(asked) : body,
    }));
  }
  /** Refuses a line in words, as the server does (RFC 9457). */
  refuses(line: string, detail: string, status = 409) {
    this.on(line, () => ({ status, body: { detail, code: 'refused' } }));
  }
  /** Asks again who one is until that is shown, then answers. */
  unproven(line: string, proven: () => boolean, body: unknown) {
    this.on(line, () =>
      proven() ? { status: 200, body } : { status: 403, body: { detail: 'Show that it is you.', code: 'prove' } },
    );
  }
  private on(line: string, reply: Reply) {
    const pattern = line.replace(/[.+?^${}()|[\]\\]/g, '\\$&').replaceAll('*', '[^/]+');
    this.replies.unshift({ pattern: new RegExp(`^${pattern}$`), reply });
  }

  /** The bodies that were sent to a line. */
  sent(line: string) {
    return this.asked.filter((a) => a.line === line).map((a) => a.body);
  }
  forget() {
    this.asked = [];
    this.replies = [];
  }

  fetch = async (input: RequestInfo | URL, init?: RequestInit): Promise<Response> => {
    const request = new Request(input, init);
    const url = new URL(request.url);
    const text = await request.text();
    const asked: Asked = {
      line: `${request.method} ${url.pathname}`,
      query: Object.fromEntries(url.searchParams),
      body: parsed(text),
    };
    this.asked.push(asked);
    const known = this.replies.find((r) => r.pattern.test(asked.line));
    const { status, body } = known?.reply(asked) ?? {
      status: 501,
      body: { detail: `No test answers ${asked.line}.` },
    };
    return new Response(status === 204 ? null : JSON.stringify(await body), {
      status,
      headers: { 'Content-Type': 'application/json' },
    });
  };
}

export const studio = new Studio();
