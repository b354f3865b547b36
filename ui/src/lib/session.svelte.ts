import { api, need, type Schemas } from '$api/client';

/** Who is signed in: undefined while it is not known, null for nobody. */
class Session {
  member = $state<Schemas['MemberView'] | null | undefined>(undefined);

  async load() {
    const answer = await api.GET('/api/v1/me').catch(() => undefined);
    this.member = answer?.data ?? null;
  }

  async signIn(email: string, password: string) {
    this.member = await need(api.POST('/api/v1/session', { body: { email, password } }));
  }

  async signOut() {
    await need(api.DELETE('/api/v1/session', {}));
    this.member = null;
  }
}

export const session = new Session();
