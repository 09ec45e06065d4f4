import type { ModelTableName } from '@gather-lane/core';
import type { App } from '../http/app-type.js';
import type { FindOwned } from '../http/doorway.js';
import type { DataCheck } from './data-check.js';
import type { House } from './house.js';
import type { CapabilityTable, EntityClass } from './table.js';
import type { OwnedThing, Trials } from './trial.js';

/** What a capability says of itself: only the parts that it has. */
export interface Capability {
  readonly name: string;
  readonly entities?: readonly EntityClass[];
  /** Entities of the tables that may have fields of the developer's own. */
  readonly ownFields?: Partial<Record<ModelTableName, EntityClass>>;
  /** Its tables by their names, those that others refer to first. */
  readonly tables?: Readonly<Record<string, CapabilityTable>>;
  readonly checks?: readonly DataCheck[];
  /** How its operations are tried, each stated a second time: the check holds the routes against them. */
  readonly trials?: Trials;
  /** Things of its own that the ownership check makes for each owner, after those of the capabilities before. */
  readonly things?: readonly OwnedThing[];
  /** Makes what runs. */
  readonly start?: (house: House) => Running;
}

/** What a capability is in a running service. */
export interface Running {
  /** Loaded when there is an application: a command that only looks at tables needs none. */
  readonly routes?: (app: App) => Promise<void>;
  /** How the owner of each kind of thing is found; the last word of the key is the name of the path parameter. */
  readonly owners?: Readonly<Record<string, FindOwned>>;
  readonly jobs?: readonly Job[];
  /** Ends what would not end by itself, before the calls that are under way are waited for. */
  readonly ending?: () => void;
  /** Ends what is under way. */
  readonly stop?: () => Promise<void>;
}

/** Something that is done soon after the start and then every hour, by one process at a time, whichever it is. */
export interface Job {
  /** In words; no two jobs say the same. */
  readonly does: string;
  /** How often, where that is more than once an hour. */
  readonly everySeconds?: number;
  /** Whether each process does it, since it is of what that process has of its own. */
  readonly ofEachProcess?: true;
  /** @param stopping is aborted when the service stops, or when another does it by now: what takes long looks at it between two steps */
  run(stopping: AbortSignal): Promise<unknown>;
}
