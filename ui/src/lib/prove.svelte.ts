import { api } from '$api/client';

/**
 * Some things ask again who one is. The request waits meanwhile: once that is shown it goes again, and whoever made
 * it does not notice.
 */
class Proof {
  asking = $state(false);
  #waiting: ((proven: boolean) => void)[] = [];

  ask() {
    this.asking = true;
    return new Promise<boolean>((resolve) => this.#waiting.push(resolve));
  }
  answer(proven: boolean) {
    this.asking = false;
    for (const resolve of this.#waiting.splice(0)) resolve(proven);
  }
}

export const proof = new Proof();

const sent: Record<string, Request> = {};
api.use({
  onRequest({ request, id }) {
    if (request.method !== 'GET') sent[id] = request.clone();
  },
  async onResponse({ response, id }) {
    const again = sent[id];
    delete sent[id];
    if (!again || response.status !== 403) return undefined;
    const problem = (await response
      .clone()
      .json()
      .catch(() => undefined)) as { code?: string } | undefined;
    if (problem?.code !== 'prove' || !(await proof.ask())) return undefined;
    return fetch(again);
  },
  onError({ id }) {
    delete sent[id];
  },
});
