import { channel, type Channel } from 'node:diagnostics_channel';

/** A statement that a data source sent for a call, and how long it took, in seconds. */
export interface SentStatement {
  readonly sql: string;
  readonly seconds: number;
  readonly failed: boolean;
}

/** Acts of several callers that were done in one transaction. */
export interface CombinedActs {
  /** What they are: `reactions`. */
  readonly acts: string;
  readonly n: number;
}

/** What whoever measures may listen to: nothing is spent where nobody does. Told once it has ended, wherever that is noticed. */
export const STATEMENTS = channel('gather-lane.statement') as Channel<unknown, SentStatement>;
/** The same message as it is sent, where it is sent: for whoever has to know for whom. */
export const STATEMENTS_SENT = channel('gather-lane.statement-sent') as Channel<unknown, SentStatement>;
/** The same of combined acts. */
export const COMBINED = channel('gather-lane.combined') as Channel<unknown, CombinedActs>;
