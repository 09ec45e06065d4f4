import { mersenne } from 'pure-rand/generator/mersenne';

const TWO_26 = 67_108_864;
const TWO_53 = 9_007_199_254_740_992;

/** The chance of a demo: the same seed makes the same one, which tests and documents rely on. */
export class DemoRandom {
  readonly #generator: ReturnType<typeof mersenne>;

  constructor(seed: number) {
    this.#generator = mersenne(seed);
  }

  /** From 0 up to 1, in steps of 2⁻⁵³ (Matsumoto and Nishimura, 2002, `genrand_res53`). */
  float(): number {
    const high = this.#generator.next() >>> 5;
    const low = this.#generator.next() >>> 6;
    return (high * TWO_26 + low) / TWO_53;
  }

  /** A whole number, both bounds among them. */
  int(min: number, max: number): number {
    return Math.floor(this.float() * (max - min + 1)) + min;
  }

  /** One of several, each as likely. */
  pick<T>(from: readonly T[]): T {
    return from[from.length > 1 ? this.int(0, from.length - 1) : 0]!;
  }

  /** One of several, each as likely as its weight says. */
  weighted<T>(from: readonly { readonly weight: number; readonly value: T }[]): T {
    const at = this.float() * from.reduce((sum, { weight }) => sum + weight, 0);
    let passed = 0;
    for (const { weight, value } of from) if (at < (passed += weight)) return value;
    return from.at(-1)!.value;
  }

  /** Some of several, none twice. */
  some<T>(from: readonly T[], count: number): T[] {
    const mixed = [...from];
    const stays = Math.max(0, from.length - count);
    for (let i = from.length - 1; i >= stays; i--) {
      const j = Math.floor(this.float() * (i + 1));
      [mixed[i], mixed[j]] = [mixed[j]!, mixed[i]!];
    }
    return mixed.slice(stays);
  }
}
