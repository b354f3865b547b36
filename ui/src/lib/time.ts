// Times on the reader's own clock.

const day = 86_400_000;

export const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;

const short = new Intl.DateTimeFormat('en-GB', {
  weekday: 'short',
  day: 'numeric',
  month: 'short',
  hour: '2-digit',
  minute: '2-digit',
});
const clock = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit' });
const weekday = new Intl.DateTimeFormat('en-GB', { weekday: 'short' });
const date = new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'short' });
const full = new Intl.DateTimeFormat('en-GB', { dateStyle: 'full', timeStyle: 'long' });

export const onClock = (at: Date) => short.format(at);
export const onDay = (at: Date) => date.format(at);
export const inFull = (at: Date) => `${full.format(at)} (${zone})`;

/** "9:41" today, "Tue" within a week, "24 Nov" before that. */
export function briefly(at: Date, now = new Date()): string {
  if (at.toDateString() === now.toDateString()) return clock.format(at);
  if (Math.abs(now.getTime() - at.getTime()) < 6 * day) return `${weekday.format(at)} ${clock.format(at)}`;
  return date.format(at).replace(/^\w+,? /, '');
}

/** Until when, as people say it: "today, 17:30", "tomorrow, 17:30", "Fri 4 Dec, 18:00". */
export function untilWhen(at: Date, now = new Date()): string {
  if (at.toDateString() === now.toDateString()) return `today, ${clock.format(at)}`;
  if (at.toDateString() === new Date(now.getTime() + day).toDateString()) return `tomorrow, ${clock.format(at)}`;
  return short.format(at);
}

/** Time left, rounded down, in the two largest units. */
export function left(at: Date, now = new Date()): string {
  const minutes = Math.floor((at.getTime() - now.getTime()) / 60_000);
  if (minutes < 0) return 'ended';
  if (minutes < 1) return 'less than a minute';
  const hours = Math.floor(minutes / 60);
  if (hours < 1) return `${minutes} min`;
  if (hours < 24) return minutes % 60 ? `${hours} h ${minutes % 60} min` : `${hours} h`;
  const days = Math.floor(hours / 24);
  if (days >= 7) return `${days} days`;
  return hours % 24 ? `${days} d ${hours % 24} h` : `${days} d`;
}

/** A length of seconds as people say it: 4 s, 12 min, 2 h 5 min. */
export function span(seconds: number): string {
  const s = Math.round(seconds);
  if (s < 60) return `${s} s`;
  if (s < 3600) return `${Math.round(s / 60)} min`;
  return Math.floor((s % 3600) / 60)
    ? `${Math.floor(s / 3600)} h ${Math.floor((s % 3600) / 60)} min`
    : `${Math.floor(s / 3600)} h`;
}

/** Bytes in SI units, as core/file/transfer words them. */
export function weight(bytes: number): string {
  if (bytes < 1000) return bytes === 1 ? '1 byte' : `${bytes} bytes`;
  const units = ['kB', 'MB', 'GB', 'TB', 'PB'];
  let value = bytes;
  for (const unit of units) {
    value /= 1000;
    if (value < 9.95) return `${value.toFixed(1)} ${unit}`;
    if (value < 999.5) return `${value.toFixed(0)} ${unit}`;
  }
  return `${value.toFixed(0)} PB`;
}
