import { frameAt, inside, nearest, type Timeline } from '$lib/timecode';

/** The speeds that are offered, without a change of pitch. */
export const speeds = [0.25, 0.5, 0.75, 1, 1.25, 1.5, 1.75, 2];
/** How fast J and L run, one press after another. */
const shuttles = [1, 2, 4, 8];

/** What a transport needs to know of a piece. */
export interface Played {
  /** null where it is not counted in frames */
  line: Timeline | null;
  /** of a film; Infinity where they are not known */
  frames: number;
  /** seconds, as the server measured it */
  length: number;
}

/**
 * What plays, and where it is: to the frame in a film, to the thousandth of a second in a sound. A screen binds its media
 * element to it and calls on with its events.
 */
export class Transport {
  media = $state<HTMLMediaElement>();
  /** of the frame on screen, or of the sound */
  seconds = $state(0);
  duration = $state(0);
  paused = $state(true);
  speed = $state(1);
  /** −8 to 8: how fast J and L run; 0 where they do not */
  shuttle = $state(0);
  /** in and out, in microseconds of the beginning of their frames; the frame at out belongs to it */
  from = $state<number | null>(null);
  to = $state<number | null>(null);
  loop = $state(false);
  volume = $state(1);
  muted = $state(false);
  /** told of each moment that plays, and whether it really does */
  sees: (at: number, plays: boolean) => void = () => undefined;

  private piece: Played = $state({ line: null, frames: Infinity, length: 0 });
  private back: ReturnType<typeof setInterval> | undefined;
  private watched = 0;

  /** The piece that is played from now on. */
  show(piece: Played) {
    this.piece = piece;
  }
  get line() {
    return this.piece.line;
  }
  get length() {
    return this.duration || this.piece.length;
  }
  get lastFrame() {
    return Number.isFinite(this.piece.frames) ? this.piece.frames - 1 : Infinity;
  }
  get frame() {
    return this.line ? Math.min(frameAt(this.line, this.seconds), this.lastFrame) : 0;
  }
  /** where it is, in microseconds from the first frame: the beginning of the frame on screen */
  get place() {
    return this.micros(this.seconds);
  }
  get running() {
    return !this.paused || this.shuttle < 0;
  }

  /** The beginning of the frame at a time in seconds, in microseconds, rounded up as the server does. */
  private micros(seconds: number) {
    if (!this.line) return Math.round(seconds * 1_000_000);
    return this.begin(frameAt(this.line, seconds));
  }
  begin(frame: number) {
    if (!this.line) return 0;
    return Math.ceil((Math.max(0, Math.min(frame, this.lastFrame)) * this.line.den * 1_000_000) / this.line.num);
  }

  toggle() {
    if (!this.media) return;
    if (this.shuttle) return this.pause();
    if (this.media.paused) void this.play();
    else this.pause();
  }
  async play() {
    this.rest();
    if (!this.media) return;
    if (this.seconds >= this.length - 0.001) this.go(0);
    this.media.playbackRate = this.speed;
    await this.media.play().catch(() => undefined); // a browser may want to be clicked first
  }
  pause() {
    this.rest();
    this.media?.pause();
  }
  /** Ends J and L. */
  private rest() {
    clearInterval(this.back);
    this.back = undefined;
    if (this.shuttle && this.media) this.media.playbackRate = this.speed;
    this.shuttle = 0;
  }
  /** L forwards, J backwards; once more is faster, the other one stops what runs. */
  run(direction: 1 | -1) {
    if (!this.media) return;
    const was = this.shuttle || (this.media.paused ? 0 : 1);
    if (was && Math.sign(was) !== direction) return this.pause();
    const next = shuttles[Math.min(shuttles.indexOf(Math.abs(was)) + 1, shuttles.length - 1)] ?? 1;
    clearInterval(this.back);
    this.back = undefined;
    this.shuttle = direction * next;
    if (direction > 0) {
      this.media.playbackRate = next;
      if (this.media.paused) void this.media.play().catch(() => undefined);
      return;
    }
    this.media.pause();
    // No browser plays backwards: frames are stepped through as fast as they come, and skipped where they do not.
    const beat = 1000 / 12;
    this.back = setInterval(() => {
      if (!this.media || this.media.seeking) return;
      const to = this.seconds - (next * beat) / 1000;
      this.go(this.line ? inside(this.line, Math.max(0, frameAt(this.line, to))) : to);
      if (to <= 0) this.pause();
    }, beat);
  }
  setSpeed(speed: number) {
    this.speed = Math.min(2, Math.max(0.25, speed));
    if (this.media && !this.shuttle) this.media.playbackRate = this.speed;
  }
  faster(by: 1 | -1) {
    const at = speeds.findIndex((s) => s >= this.speed);
    this.setSpeed(speeds[Math.min(speeds.length - 1, Math.max(0, at + by))] ?? 1);
  }

  /** Moves by frames; a sound by 40 ms for each. */
  step(frames: number) {
    if (!this.media) return;
    this.pause();
    if (this.line) this.toFrame(this.frame + frames);
    else this.go(this.seconds + frames * 0.04);
  }
  toFrame(frame: number) {
    if (this.line) this.go(inside(this.line, Math.max(0, Math.min(frame, this.lastFrame))));
  }
  jump(seconds: number) {
    const to = this.seconds + seconds;
    if (this.line) this.toFrame(frameAt(this.line, Math.max(0, to)));
    else this.go(to);
  }
  /** Goes to a moment in microseconds and stays there. */
  seek(micros: number) {
    this.pause();
    if (this.line) this.toFrame(frameAt(this.line, micros / 1_000_000));
    else this.go(micros / 1_000_000);
  }
  go(seconds: number) {
    if (!this.media) return;
    this.media.currentTime = Math.max(0, Math.min(seconds, this.length));
    this.seconds = this.media.currentTime;
  }

  /** Sets in or out here; what lies on the wrong side of it is taken away. */
  mark(which: 'from' | 'to') {
    this[which] = this.place;
    if (this.from !== null && this.to !== null && this.from > this.to) this[which === 'from' ? 'to' : 'from'] = null;
  }
  unmark() {
    this.from = this.to = null;
    this.loop = false;
  }
  setVolume(to: number) {
    this.volume = Math.min(1, Math.max(0, to));
    if (!this.media) return;
    this.media.volume = this.volume;
    this.media.muted = this.muted = false;
  }
  mute() {
    this.muted = !this.muted;
    if (this.media) this.media.muted = this.muted;
  }
  fullscreen(of: Element | null | undefined) {
    void (document.fullscreenElement ? document.exitFullscreen() : of?.requestFullscreen())?.catch(() => undefined);
  }
  window() {
    if (!(this.media instanceof HTMLVideoElement)) return;
    if (document.pictureInPictureElement) void document.exitPictureInPicture().catch(() => undefined);
    else void this.media.requestPictureInPicture?.().catch(() => undefined);
  }

  /** What a media element says; of a film the browser also tells which frame it shows. */
  on = {
    play: () => (this.paused = false),
    pause: () => {
      this.paused = true;
      // The picture may be a frame ahead of what was told of it: it is brought to the frame that is named.
      if (this.line && this.media && !this.media.seeking && !this.media.ended) this.toFrame(this.frame);
    },
    loadedmetadata: () => {
      if (!this.media) return;
      this.duration = Number.isFinite(this.media.duration) ? this.media.duration : 0;
      this.media.volume = this.volume;
      this.media.muted = this.muted;
      this.media.preservesPitch = true;
    },
    seeked: () => this.media && (this.seconds = this.media.currentTime),
    timeupdate: () => {
      if (!this.media || (this.watched && !this.media.paused)) return;
      this.at(this.media.currentTime);
    },
  };
  private at(seconds: number) {
    this.seconds = seconds;
    this.sees(seconds, !!this.media && !this.media.paused && !this.media.seeking);
    this.turn();
  }
  /** Begins anew at in where out is behind. */
  private turn() {
    if (!this.loop || this.paused || !this.media) return;
    const from = this.from ?? 0;
    const to = this.to ?? Infinity;
    if (this.place > to || this.seconds >= this.length - 0.02) {
      if (this.line) this.toFrame(frameAt(this.line, from / 1_000_000));
      else this.go(from / 1_000_000);
      if (this.media.paused) void this.media.play().catch(() => undefined);
    }
  }

  /** Listens to which frame is shown, for as long as the element is there; call it in an effect. */
  watch() {
    const media = this.media;
    if (!media) return;
    if (!(media instanceof HTMLVideoElement) || !('requestVideoFrameCallback' in media)) {
      let frame = requestAnimationFrame(function each(this: void) {
        if (!media.paused) look();
        frame = requestAnimationFrame(each);
      });
      const look = () => this.at(media.currentTime);
      return () => cancelAnimationFrame(frame);
    }
    const shown: VideoFrameRequestCallback = (_, meta) => {
      const line = this.line;
      // The time of a frame was rounded to microseconds on its way: it is that of the nearest frame.
      this.at(line ? inside(line, nearest(line, meta.mediaTime)) : meta.mediaTime);
      this.watched = media.requestVideoFrameCallback(shown);
    };
    this.watched = media.requestVideoFrameCallback(shown);
    return () => {
      media.cancelVideoFrameCallback(this.watched);
      this.watched = 0;
      this.rest();
    };
  }
}
