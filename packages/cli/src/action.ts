import type { Client } from '@gather-lane/client';
import type { Command } from 'commander';
import { connect, connectAsNobody, connectAsOperator, wholeId, type CommonOptions } from './context.js';
import { printJson } from './output.js';
import { store } from './store.js';

/** What a command is called with, and what it talks to. */
export class CommandContext<O extends CommonOptions = CommonOptions> {
  /** Its own options and those that every command takes. */
  readonly options: O;
  /** What was said beyond its arguments and options. */
  readonly rest: readonly string[];
  #connection: { client: Client; address: string } | undefined;

  constructor(options: O, rest: readonly string[] = []) {
    this.options = options;
    this.rest = rest;
  }

  /** As whoever is signed in here. */
  get client(): Client {
    return this.#connected.client;
  }

  /** As nobody: for signing in, which a session that has ended must not get in the way of. */
  get nobody(): Client {
    return connectAsNobody(this.options).client;
  }

  /** As the operator. @throws Failure where there is no key */
  get operator(): Client {
    return connectAsOperator(this.options);
  }

  /** Where the service is. */
  get address(): string {
    return this.#connected.address;
  }

  /** The whole id that a shortened one means. @throws Failure */
  whole(id: string): string {
    return wholeId(id, this.address);
  }

  /** Remembers what is shown, so that the ends of its ids name it. */
  shows(ids: readonly string[]): void {
    store.show(this.address, [...ids]);
  }

  get #connected() {
    return (this.#connection ??= connect(this.options));
  }
}

/**
 * What a command does: its work, then what came of it, as JSON for other programs or in words.
 * @param run does the work; it gets the arguments after the context
 * @param show says it in words
 * @param json what other programs get, where that is not the whole result
 */
export const action = <O extends CommonOptions, A extends readonly unknown[], T>(
  run: (context: CommandContext<O>, ...given: A) => Promise<T>,
  show: (result: T, context: CommandContext<O>) => void | Promise<void>,
  json: (result: T) => unknown = (result) => result,
) =>
  work(async (context: CommandContext<O>, ...given: A) => {
    const result = await run(context, ...given);
    if (context.options.json) printJson(json(result));
    else await show(result, context);
  });

/** What a command does that prints something of its own as it goes: a file, a stream, steps. */
export const work =
  <O extends CommonOptions, A extends readonly unknown[]>(
    run: (context: CommandContext<O>, ...given: A) => Promise<void>,
  ) =>
  async (...called: unknown[]): Promise<void> => {
    // Commander gives the arguments, the command's own options, and the command.
    const command = called.at(-1) as Command;
    const context = new CommandContext(command.optsWithGlobals<O>(), command.args);
    await run(context, ...(called.slice(0, -2) as unknown as A));
  };
