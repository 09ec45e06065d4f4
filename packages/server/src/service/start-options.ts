import type { OwnFields } from '@gather-lane/core';
import type { FastifyInstance } from 'fastify';
import type { House } from '../ground/capability/house.js';
import type { OneOfMany } from './processes/one-of-many.js';
import type { Config } from '../ground/config/schema.js';

/** What a service is started with. */
export interface StartOptions {
  readonly config: Config;
  /** The environment, for the standard `PG…` variables. */
  readonly environment: Record<string, string | undefined>;
  /** Folder that a relative data folder is in. */
  readonly folder: string;
  readonly demo: boolean;
  /** Where it is one of several processes, what it is told. */
  readonly within?: OneOfMany | undefined;
  /** Throw the data of an earlier demo away first. */
  readonly fresh?: boolean;
  /** Reads the model file again: it may have changed since the service started. */
  readonly modelFile?: () => OwnFields;
  /** Told what the operator should know, in sentences. */
  readonly notice: (text: string) => void;
  readonly progress?: (step: string, done: number, total: number) => void;
  readonly logStream?: NodeJS.WritableStream;
}

/** A running service. */
export interface Service {
  readonly address: string;
  readonly operatorKeyPath: string;
  readonly app: FastifyInstance;
  readonly house: House;
  /** Why it cannot work yet, with the one command that mends it, or null. */
  notReady(): string | null;
  /** Takes no more calls, finishes those under way, closes the pool, stops the cluster. */
  stop(): Promise<void>;
}
