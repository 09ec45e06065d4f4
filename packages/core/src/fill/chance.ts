import { uniformFloat64 } from 'pure-rand/distribution/uniformFloat64';
import { uniformInt } from 'pure-rand/distribution/uniformInt';
import { xoroshiro128plus } from 'pure-rand/generator/xoroshiro128plus';
import type { RandomGenerator } from 'pure-rand/types/RandomGenerator';

/** Mixes numbers into one seed, so that each part of a fill has a stream of its own (the finaliser of MurmurHash3). */
export function mixSeed(...parts: number[]): number {
  let h = 0x9e3779b9;
  for (const part of parts) {
    h = Math.imul(h ^ (part | 0), 0x85ebca6b);
    h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
    h ^= h >>> 16;
  }
  return h;
}

/** A reproducible stream of chance: the same seed gives the same draws. */
export class Chance {
  readonly #generator: RandomGenerator;

  constructor(...seed: number[]) {
    this.#generator = xoroshiro128plus(mixSeed(...seed));
  }

  /** From 0 up to, but not including, 1. */
  float(): number {
    return uniformFloat64(this.#generator);
  }

  /** A whole number from `min` to `max`, both included. */
  int(min: number, max: number): number {
    return uniformInt(this.#generator, min, max);
  }

  pick<T>(from: readonly T[]): T {
    return from[this.int(0, from.length - 1)]!;
  }

  /** An exponential waiting time with this mean. */
  wait(mean: number): number {
    return -Math.log(1 - this.float()) * mean;
  }

  /** Sixteen random bytes, for an id. */
  bytes(): Uint8Array {
    const words = new Int32Array(4);
    for (let i = 0; i < 4; i++) words[i] = this.#generator.next();
    return new Uint8Array(words.buffer);
  }
}

/**
 * Draws indices with a heavy-tailed weight: rank r weighs (r + 8)^-exponent, and ranks are scattered over the
 * indices. One Float64 for each index, whatever is drawn.
 */
export class HeavyTail {
  readonly #upTo: Float64Array;
  readonly #step: number;
  readonly #offset: number;

  /** @param salt scatters differently, so that who writes much is not who is followed much */
  constructor(
    readonly size: number,
    exponent: number,
    salt: number,
  ) {
    this.#upTo = new Float64Array(size);
    let sum = 0;
    for (let rank = 0; rank < size; rank++) this.#upTo[rank] = sum += Math.pow(rank + 8, -exponent);
    this.#step = scatterStep(size, salt);
    this.#offset = (salt * 7_919) % size;
  }

  /** The index that stands at a rank; 0 is the heaviest. */
  at(rank: number): number {
    return (rank * this.#step + this.#offset) % this.size;
  }

  draw(chance: Chance): number {
    const wanted = chance.float() * (this.#upTo[this.size - 1] ?? 0);
    let [low, high] = [0, this.size - 1];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.#upTo[middle]! > wanted) high = middle;
      else low = middle + 1;
    }
    return this.at(low);
  }
}

/** A step without a common factor with `size`, so that multiples of it visit every index once. */
function scatterStep(size: number, salt: number): number {
  const gcd = (a: number, b: number): number => (b === 0 ? a : gcd(b, a % b));
  let step = Math.max(1, Math.floor(size * (0.381966 + (salt % 7) * 0.03)));
  while (gcd(step, size) !== 1) step++;
  return step;
}

/** How much is written in each hour of a day, from midnight: low at night, peaks in the morning and at dusk. */
const HOURS = [3, 1, 1, 1, 2, 6, 14, 18, 16, 12, 10, 10, 12, 10, 8, 8, 12, 16, 18, 17, 14, 10, 7, 5];
const HOURS_SUM = HOURS.reduce((a, b) => a + b, 0);
const DAY = 86_400_000;

/** An instant within the `days` before `now`, with the shape of a day. */
export function drawInstant(chance: Chance, now: number, days: number): number {
  const day = chance.int(0, days - 1);
  let weight = chance.float() * HOURS_SUM;
  let hour = 0;
  while (hour < 23 && (weight -= HOURS[hour]!) >= 0) hour++;
  const midnight = Math.floor(now / DAY) * DAY - day * DAY;
  const at = midnight + hour * 3_600_000 + Math.floor(chance.float() * 3_600_000);
  return at < now ? at : at - days * DAY;
}
