import { Failure } from './failure.js';

const UNITS = { s: 1_000, min: 60_000, m: 60_000, h: 3_600_000, d: 86_400_000 } as const;

/** Milliseconds of a length of time like `4h`, `90min` or `1.5 d`. @throws Failure for anything else */
export function readLength(text: string): number {
  const match = /^(\d+(?:\.\d+)?)\s*(s|min|m|h|d)$/.exec(text.trim());
  if (!match) throw new Failure(`"${text}" is no length of time: write it like 4h, 90min or 2d.`, 2);
  return Math.round(Number(match[1]) * UNITS[match[2] as keyof typeof UNITS]);
}

/** `8 h`, `1 d 12 h`, `45 min`. */
export function sayLength(ms: number): string {
  const minutes = Math.round(ms / 60_000);
  const [days, hours, rest] = [Math.floor(minutes / 1440), Math.floor((minutes % 1440) / 60), minutes % 60];
  return [days && `${days} d`, hours && `${hours} h`, rest && `${rest} min`].filter(Boolean).join(' ') || '0 min';
}
