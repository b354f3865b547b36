import { words } from '$api/client';

/** Does what the server may refuse, keeps the refusal in words until something succeeds, and looks again. */
export class Attempt {
  problem = $state('');
  constructor(private readonly again: () => Promise<void>) {}

  run = async (work: () => Promise<unknown>) => {
    try {
      await work();
      this.problem = '';
    } catch (thrown) {
      this.problem = words(thrown);
    }
    await this.again();
  };
}
