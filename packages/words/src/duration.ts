const UNITS = { s: 1_000, min: 60_000, m: 60_000, h: 3_600_000, d: 86_400_000 } as const;

/** Milliseconds of a length of time as people write it: `4h`, `90min`, `1.5 d`; null for anything else. */
export function readDuration(text: string): number | null {
  const match = /^(\d+(?:\.\d+)?)\s*(s|min|m|h|d)$/.exec(text.trim());
  return match && Math.round(Number(match[1]) * UNITS[match[2] as keyof typeof UNITS]);
}

/** `6 h`, `1 h 12 min`, `2 d 3 h`, `45 s`: a length of time (its absolute value), by its two largest units. */
export function sayDuration(ms: number): string {
  const seconds = Math.round(Math.abs(ms) / 1000);
  if (seconds < 60) return `${seconds} s`;
  const minutes = Math.round(seconds / 60);
  const [days, hours] = [Math.floor(minutes / 1440), Math.floor((minutes % 1440) / 60)];
  const parts = [days && `${days} d`, hours && `${hours} h`, !days && minutes % 60 && `${minutes % 60} min`];
  return parts.filter(Boolean).join(' ');
}
