import { useEffect, useState } from 'react';

/** `23 Nov, 16:00 UTC` */
export function readInstant(instant: string): string {
  return `${new Date(instant).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', timeZone: 'UTC' })} UTC`;
}

/** `3 h ago`, or the date when it is longer ago than a week. */
export function readAgo(instant: string, now: number): string {
  const seconds = Math.max(0, Math.round((now - Date.parse(instant)) / 1000));
  if (seconds < 60) return 'just now';
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min ago`;
  if (seconds < 86_400) return `${Math.floor(seconds / 3600)} h ago`;
  if (seconds < 7 * 86_400) return `${Math.floor(seconds / 86_400)} d ago`;
  return new Date(instant).toLocaleDateString('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    timeZone: 'UTC',
  });
}

/** `+6 h 28 min`: how far engagement moved a post. */
export function readMove(ms: number): string {
  const minutes = Math.round(Math.abs(ms) / 60_000);
  const [days, hours, rest] = [Math.floor(minutes / 1440), Math.floor((minutes % 1440) / 60), minutes % 60];
  const text =
    [days && `${days} d`, hours && `${hours} h`, !days && rest && `${rest} min`].filter(Boolean).join(' ') || '0 min';
  return `${ms < 0 ? '−' : '+'}${text}`;
}

/** How long ago an instant was, kept current; the instant itself as its title. */
export function Ago({ instant }: { instant: string }) {
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 30_000);
    return () => clearInterval(timer);
  }, []);
  return (
    <time dateTime={instant} title={readInstant(instant)}>
      {readAgo(instant, now)}
    </time>
  );
}
