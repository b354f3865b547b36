import { Problem, words } from '$api/client';

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

/** A form that is sent: what is wrong with it, at which field, and whether it is on its way. */
export class Form {
  problem = $state('');
  at = $state('');
  busy = $state(false);

  /** Sends it, and reports whether it went. */
  send = async (work: () => Promise<unknown>) => {
    this.busy = true;
    try {
      await work();
      this.problem = this.at = '';
      return true;
    } catch (thrown) {
      this.problem = words(thrown);
      this.at = thrown instanceof Problem ? thrown.at : '';
      return false;
    } finally {
      this.busy = false;
    }
  };
  /** What is wrong at a field. */
  says = (field: string) => (this.at === field ? this.problem : '');
}
