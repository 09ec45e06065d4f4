import type { OperatorKey } from '../accounts/operator/key.js';
import type { Mailbox } from '../accounts/mail/mailbox.js';
import type { StandInProvider } from '../accounts/identities/stand-in.js';
import { MediaStore } from '../accounts/media/store.js';
import type { Running } from '../ground/capability/capability.js';
import { House, type Foundation } from '../ground/capability/house.js';

/** What is there before any capability is made. */
export interface Given {
  readonly key: OperatorKey;
  readonly store: MediaStore;
  /** The stand-ins of a demo. */
  readonly mailbox?: Mailbox | null;
  readonly standIn?: StandInProvider | null;
}

/** A house with every capability in it. */
export interface Assembled {
  readonly house: House;
  readonly running: readonly Running[];
}

/** Makes every capability of the plan, in its order. */
export function assemble(foundation: Foundation, { key, store, mailbox, standIn }: Given): Assembled {
  const house = new House(foundation);
  house.add(key);
  house.add(store, MediaStore);
  if (mailbox) house.add(mailbox);
  if (standIn) house.add(standIn);
  return { house, running: house.plan.capabilities.flatMap(({ start }) => (start ? [start(house)] : [])) };
}
