import type { DoorwayRule } from '@gather-lane/core';

/** Ids of an owner and of what is theirs; one comment is on a post of their own, and one on the post of a host. */
export interface Things {
  readonly user: string;
  readonly post: string;
  readonly removedPost: string;
  readonly comment: string;
  readonly removedComment: string;
  readonly commentElsewhere: string;
  readonly hostPost: string;
  /** What capabilities add, by its name. */
  readonly [other: string]: string;
}

/** A thing that the ownership check gives each owner. */
export interface OwnedThing {
  /** What it is called in a path, and among the things. */
  readonly name: string;
  /** Makes one: takes its id ($1) and the owner's ($2). */
  readonly make: string;
  /** Everything of the kind that is the owner's ($1), as one value to compare. */
  readonly snapshot: string;
  /** Takes away what is left of the kind once its owners are gone. */
  readonly leftOver?: string;
}

/** How the ownership check tries a route. */
export interface Trial {
  /**
   * The rule that it should have. It stands here a second time on purpose: a rule that is weakened where the route is
   * declared no longer agrees with it.
   */
  readonly rule: DoorwayRule;
  readonly body?: (things: Things) => unknown;
  readonly query?: string;
  /** Problems that are no refusal of the caller: of a credential in the body, of a mail server that is not there. */
  readonly fine?: readonly string[];
  /** Finds people whoever they are: one lifts a block of one's own from somebody who blocks back. */
  readonly findsAnybody?: boolean;
  /** Not tried by those whom it lets in, for it would change the service itself; why. */
  readonly spares?: string;
  /**
   * The call on a thing of the owner's inside a thing of somebody else's, where the path names only the latter; whom it is out of
   * sight for is refused as a value that is not right.
   */
  readonly inside?: { readonly post: (things: Things) => string; readonly body: (things: Things) => unknown };
  /** Of two edits of the same version at once, one has to win. */
  readonly raced?: boolean;
}

/** The trials of some operations, by their names. */
export type Trials = Readonly<Record<string, Trial>>;

/** A call that only reads, or whose body is none. */
export const plain = (rule: DoorwayRule): Trial => ({ rule });

/** A body that says where it comes from. */
export const tried = () => ({ body: 'Tried by the ownership check' });
/** A body with a reason. */
export const reason = () => ({ reason: 'Tried by the ownership check' });
/** An empty body: who is let in is refused for what is missing. */
export const nothing = () => ({});
/** Why a trial is spared. */
export const CHANGES_SERVICE = 'it would change the service itself';
