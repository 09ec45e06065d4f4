import type { OwnFields } from '@gather-lane/core';
import type { DataSource } from 'typeorm';
import type { Config } from '../config/schema.js';
import { Cursors } from '../http/cursors.js';
import { KeyChanges } from '../keys/key-changes.js';
import { Pages } from '../http/pagination.js';
import { PublicAddress } from '../http/public-address.js';
import type { HousePlan } from './house-plan.js';

/** A class of which the house has one. */
export type Kind<T> = abstract new (...parameters: never[]) => T;

/** What a house is built on. */
export interface Foundation {
  readonly plan: HousePlan;
  readonly database: DataSource;
  /** For work that nobody waits for: the same database, without limits of time. */
  readonly background: DataSource;
  readonly config: Config;
  readonly demo: boolean;
  /** The model file as it is now, which may be newer than the model that the service runs by. */
  readonly modelFile: () => OwnFields;
  /** What calls of the service's own carry, so that no limit counts them. */
  readonly pass: string;
}

/** What every capability is made with, and what those before it have made. */
export class House implements Foundation {
  readonly plan: HousePlan;
  readonly database: DataSource;
  readonly background: DataSource;
  readonly config: Config;
  readonly demo: boolean;
  readonly modelFile: () => OwnFields;
  readonly address: PublicAddress;
  readonly keyChanges = new KeyChanges();
  readonly cursors: Cursors;
  readonly pages: Pages;
  readonly pass: string;
  readonly #made = new Map<Kind<unknown>, unknown>();

  constructor({ plan, database, background, config, demo, modelFile, pass }: Foundation) {
    this.plan = plan;
    this.database = database;
    this.background = background;
    this.config = config;
    this.demo = demo;
    this.modelFile = modelFile;
    this.pass = pass;
    this.address = new PublicAddress(config.server.publicAddress);
    this.cursors = new Cursors(database, this.keyChanges);
    this.pages = new Pages(this.cursors);
  }

  /** Keeps what others may ask for. @returns the same */
  add<T extends object>(made: T, kind: Kind<T> = made.constructor as Kind<T>): T {
    this.#made.set(kind, made);
    return made;
  }

  /** What was made of a class, or null: a part that not every service has. */
  find<T>(kind: Kind<T>): T | null {
    return (this.#made.get(kind) as T | undefined) ?? null;
  }

  /** What was made of a class. @throws Error where the capability that makes it comes later in the list, or is not in it */
  get<T>(kind: Kind<T>): T {
    const made = this.find(kind);
    if (made === null) throw new Error(`${kind.name} is not made yet: name its capability earlier in the list.`);
    return made;
  }
}
