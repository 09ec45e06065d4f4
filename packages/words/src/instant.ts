const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const two = (n: number): string => String(n).padStart(2, '0');

/** An instant as replies carry it (RFC 3339), or in milliseconds. */
export type InstantLike = string | number;

/** `22 Nov 16:00`: an instant in UTC; whoever has the room adds that it is. */
export function sayInstant(instant: InstantLike): string {
  const t = new Date(instant);
  return `${t.getUTCDate()} ${MONTHS[t.getUTCMonth()]} ${two(t.getUTCHours())}:${two(t.getUTCMinutes())}`;
}

/** `22 Nov 2026`: the day of an instant in UTC. */
export function sayDay(instant: InstantLike): string {
  const t = new Date(instant);
  return `${t.getUTCDate()} ${MONTHS[t.getUTCMonth()]} ${t.getUTCFullYear()}`;
}

/** `3 h ago`: how long before `now` (milliseconds) an instant was; what is less than a minute ago is `just now`. */
export function sayAgo(instant: InstantLike, now: number): string {
  const minutes = Math.floor(Math.max(0, now - new Date(instant).getTime()) / 60_000);
  if (minutes < 1) return 'just now';
  if (minutes < 60) return `${minutes} min ago`;
  return minutes < 1440 ? `${Math.floor(minutes / 60)} h ago` : `${Math.floor(minutes / 1440)} d ago`;
}
