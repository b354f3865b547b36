import type { Viewing } from './viewing';

/** A sound that plays, with where it belongs. */
export interface Sound {
  media: HTMLMediaElement;
  version: string;
  name: string;
  /** the Room in which it is looked at */
  href: string;
  /** the announcements of its package */
  live: string;
  package: string;
  viewing?: Viewing | undefined;
}

/** The sound that goes on while one looks at something else. There is one at most: what begins to play ends it. */
class Elsewhere {
  sound = $state.raw<Sound>();
  seconds = $state(0);
  paused = $state(false);

  /** Takes a sound over from the screen that it leaves, without a gap: call it before the screen is gone, in one go. */
  keep(sound: Sound) {
    this.end();
    const { media } = sound;
    media.hidden = true;
    document.body.append(media);
    this.sound = sound;
    this.seconds = media.currentTime;
    this.paused = false;
    for (const [type, act] of Object.entries(this.on)) media.addEventListener(type, act);
    document.addEventListener('play', this.other, true);
    for (const [key, act] of Object.entries(this.keys))
      navigator.mediaSession?.setActionHandler(key as MediaSessionAction, act);
  }
  toggle() {
    const media = this.sound?.media;
    if (media?.paused) void media.play().catch(() => undefined);
    else media?.pause();
  }
  /** Ends it and says where it was, if it was of this version: the screen that shows it goes on there. */
  take(version: string): { at: number; plays: boolean } | undefined {
    const media = this.sound?.media;
    if (!media || this.sound?.version !== version) return undefined;
    const was = { at: media.currentTime, plays: !media.paused };
    this.end();
    return was;
  }
  end() {
    const sound = this.sound;
    if (!sound) return;
    this.sound = undefined;
    document.removeEventListener('play', this.other, true);
    for (const [type, act] of Object.entries(this.on)) sound.media.removeEventListener(type, act);
    for (const key of Object.keys(this.keys)) navigator.mediaSession?.setActionHandler(key as MediaSessionAction, null);
    sound.media.pause();
    sound.media.removeAttribute('src'); // it loads no more
    sound.media.load();
    sound.media.remove();
    sound.viewing?.leave();
  }
  /** Something happened to its package: it may not be given any more. */
  async still() {
    const sound = this.sound;
    if (!sound) return;
    const gone = await fetch(sound.media.currentSrc || sound.media.src, { method: 'HEAD' }).then(
      (answer) => answer.status >= 400 && answer.status < 500,
      () => false,
    );
    if (gone && this.sound === sound) this.end();
  }

  private other = (event: Event) => {
    if (event.target !== this.sound?.media) this.end();
  };
  private on = {
    play: () => (this.paused = false),
    pause: () => {
      this.paused = true;
      this.sound?.viewing?.stop();
    },
    timeupdate: () => {
      const sound = this.sound;
      if (!sound) return;
      this.seconds = sound.media.currentTime;
      sound.viewing?.at(this.seconds, !sound.media.paused && !sound.media.seeking);
    },
    ended: () => this.end(),
    error: () => this.end(),
  };
  private keys = { play: () => this.toggle(), pause: () => this.toggle() };
}

export const elsewhere = new Elsewhere();
