import { api, need, onSignedOut, Problem, type Schemas } from '$api/client';
import { renewStreams } from '$lib/live.svelte';
import * as passkey from '$lib/passkey';

/** Who is signed in: undefined while it is not known, null for nobody. */
class Session {
  member = $state<Schemas['MemberView'] | null | undefined>(undefined);
  /** The session ended while somebody was at work: what is on screen stays until they are back. */
  ended = $state(false);
  /** Why nobody is known to be signed in, when that is not because nobody is. */
  problem = $state('');

  constructor() {
    onSignedOut(() => (this.ended = Boolean(this.member)));
  }

  async load() {
    try {
      this.member = await need(api.GET('/api/v1/me'));
      this.problem = '';
    } catch (thrown) {
      // A line that is down signs nobody out.
      if (thrown instanceof Problem && thrown.status === 401) this.member = null;
      else this.problem = thrown instanceof Problem ? thrown.message : String(thrown);
    }
  }

  /** Signs in; returns whether it is the one who was signed in before. */
  signIn(email: string, password: string, code = '') {
    return this.#enter(() => need(api.POST('/api/v1/session', { body: { email, password, code } })));
  }
  /** The same, by a passkey of whoever sits there. */
  signInByKey() {
    return this.#enter(async () => {
      const asked = await need(api.POST('/api/v1/session/passkey', {}));
      const answer = await passkey.choose(asked.options);
      return need(api.PUT('/api/v1/session/passkey', { body: { id: asked.id, answer } }));
    });
  }
  async #enter(how: () => Promise<Schemas['MemberView']>): Promise<boolean> {
    const before = this.member?.id;
    this.member = await how();
    this.ended = false;
    renewStreams();
    return !before || before === this.member.id;
  }

  async signOut() {
    await need(api.DELETE('/api/v1/session', {}));
    this.member = null;
    renewStreams();
  }
}

export const session = new Session();
