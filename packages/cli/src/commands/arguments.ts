import { InvalidArgumentError } from 'commander';

/** Reads one of a few words. */
export const choice =
  <T extends string>(...words: T[]) =>
  (text: string): T => {
    if (!words.includes(text as T)) throw new InvalidArgumentError(`It must be ${words.join(' or ')}.`);
    return text as T;
  };

/** Reads a whole number between two bounds. */
export const wholeNumber =
  (min: number, max: number) =>
  (text: string): number => {
    const n = Number(text);
    if (!/^\d+$/.test(text) || n < min || n > max)
      throw new InvalidArgumentError(`It must be a whole number from ${min} to ${max}.`);
    return n;
  };

/** Reads some of a few words, with commas between. */
export const list =
  <T extends string>(...words: T[]) =>
  (text: string): T[] => {
    const chosen = text.split(',').map((word) => word.trim());
    const wrong = chosen.find((word) => !words.includes(word as T));
    if (wrong !== undefined) throw new InvalidArgumentError(`"${wrong}" is none of ${words.join(', ')}.`);
    return chosen as T[];
  };
