import type { OperatorKey } from '../accounts/operator/key.js';
import { Mailbox } from '../accounts/mail/mailbox.js';
import { StandIn } from '../accounts/identities/stand-in.js';
import { MediaStore } from '../accounts/media/store.js';
import type { Capability, Job, Running } from '../ground/capability/capability.js';
import { House, type Foundation } from '../ground/capability/house.js';

/** What is there before any capability is made. */
export interface Given {
  readonly key: OperatorKey;
  readonly store: MediaStore;
  /** The stand-ins of a demo. */
  readonly mailbox?: Mailbox | null;
  readonly standIn?: StandIn | null;
}

/** A house with every capability in it. */
export interface Assembled {
  readonly house: House;
  readonly running: readonly Running[];
}

/** Makes every capability, in their order. */
export function assemble(
  capabilities: readonly Capability[],
  foundation: Omit<Foundation, 'pass'>,
  { key, store, mailbox, standIn }: Given,
): Assembled {
  const house = new House({ ...foundation, pass: key.pass });
  house.add(key);
  house.add(store, MediaStore);
  if (mailbox) house.add(mailbox, Mailbox);
  if (standIn) house.add(standIn, StandIn);
  return { house, running: capabilities.flatMap(({ start }) => (start ? [start(house)] : [])) };
}

/** Everything that a running service does now and then, in the order of its capabilities. */
export const jobsOf = (running: readonly Running[]): Job[] => running.flatMap(({ jobs }) => jobs ?? []);
