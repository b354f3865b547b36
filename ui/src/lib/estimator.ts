/**
 * The rate of a transfer and the time it has left, as core/file/transfer computes them; both are held together by
 * core/file/transfer/testdata/estimator.json. Moments are in seconds.
 */
export class Estimator {
  private samples: { at: number; bytes: number }[] = [];
  private ends = 0;
  private at = 0;

  add(at: number, bytes: number, total: number) {
    if ((this.samples.at(-1)?.bytes ?? 0) > bytes) {
      this.samples = []; // it began again
      this.ends = 0;
    }
    this.samples.push({ at, bytes });
    while (this.samples.length > 2 && this.samples[1]!.at <= at - window) this.samples.shift();
    const rate = this.rate;
    if (rate <= 0) {
      this.ends = 0;
      this.at = at;
      return;
    }
    const left = (total - bytes) / rate;
    const fresh = at + left;
    if (!this.ends || Math.abs(fresh - this.ends) > snap * Math.max(left, 1)) this.ends = fresh;
    else this.ends += (fresh - this.ends) * (1 - Math.exp(-(at - this.at) / inertia));
    this.at = at;
  }

  /** bytes a second; 0 while it is not known */
  get rate(): number {
    const first = this.samples[0];
    const last = this.samples.at(-1);
    if (!first || !last || last.at - first.at < settle) return 0;
    return (last.bytes - first.bytes) / (last.at - first.at);
  }

  /** seconds left; null while it is not known */
  left(at: number): number | null {
    return this.ends ? Math.max(0, this.ends - at) : null;
  }
}

const window = 12;
const settle = 2;
const inertia = 3;
const snap = 0.5;
