/**
 * How lively a hashtag is, as an instant: the law of lane time over people. Each counts once, with their latest post of the
 * time that is looked at; twice as many who are as recent are worth one half-life. The sum is exponential forward decay
 * (Cormode, Shkapenyuk, Srivastava, Xu: "Forward Decay: A Practical Time Decay Model for Streaming Systems", ICDE 2009), so
 * the order of two hashtags does not change merely because the clock goes on.
 * @param latest when each person posted last, in milliseconds since the epoch; at least one
 * @returns milliseconds since the epoch, rounded half up to whole ones (as the SQL law does)
 */
export function livelyTime(latest: readonly number[], halfLifeMs: number): number {
  const newest = Math.max(...latest);
  const sum = latest.reduce((all, at) => all + 2 ** ((at - newest) / halfLifeMs), 0);
  return newest + Math.floor(halfLifeMs * Math.log2(sum) + 0.5);
}
