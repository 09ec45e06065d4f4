import { sayAgo, sayDay, sayDuration, sayInstant } from '@gather-lane/words';
import { useEffect, useState } from 'react';

const WEEK_MS = 7 * 86_400_000;

/** `23 Nov 16:00 UTC` */
export const inUtc = (instant: string): string => `${sayInstant(instant)} UTC`;

/** `3 h ago`, or the date when it is longer ago than a week. */
export const agoOrDay = (instant: string, now: number): string =>
  now - Date.parse(instant) < WEEK_MS ? sayAgo(instant, now) : sayDay(instant);

/** `+6 h 28 min`: how far engagement moved a post. */
export const sayMove = (ms: number): string => `${ms < 0 ? '−' : '+'}${sayDuration(ms)}`;

/** How long ago an instant was, kept current; the instant itself as its title. */
export function Ago({ instant }: { instant: string }) {
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 30_000);
    return () => clearInterval(timer);
  }, []);
  return (
    <time dateTime={instant} title={inUtc(instant)}>
      {agoOrDay(instant, now)}
    </time>
  );
}
