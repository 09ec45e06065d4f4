import { AsyncLocalStorage } from 'node:async_hooks';
import { promiseHooks } from 'node:v8';

/** A value that the steps of some work find again. */
export interface Context<T> {
  /** Does some work with a value, whatever is awaited within it too. */
  run<R>(value: T, work: () => R): R;
  /** The value of the work that asks; undefined outside of any. */
  getStore(): T | undefined;
}

/** From Node 24 on V8 itself carries the values of `AsyncLocalStorage`. */
const CARRIED_BY_V8 = Number(process.versions.node.split('.')[0]) >= 24;

/** @returns the context that costs least on the Node that runs */
export const makeContext = <T>(): Context<T> => (CARRIED_BY_V8 ? new AsyncLocalStorage<T>() : makePromiseContext<T>());

/**
 * What `AsyncLocalStorage` is, carried by promises alone: what a timer or an event calls runs in no context, until somebody goes on who
 * awaited it. Before Node 24 `AsyncLocalStorage` numbers every promise and looks at it four times, which is a third of what it costs
 * node to trace a post; this looks three times and numbers none. Exported for its test.
 */
export function makePromiseContext<T>(): Context<T> {
  const mark = Symbol('context');
  type Marked = Promise<unknown> & { [mark]?: T };
  let current: T | undefined;
  let watched = false;
  // One step of one promise runs at a time, and none within another.
  const watch = (): void => {
    watched = true;
    promiseHooks.createHook({
      init(promise: Promise<unknown>) {
        if (current !== undefined) (promise as Marked)[mark] = current;
      },
      before(promise: Promise<unknown>) {
        current = (promise as Marked)[mark];
      },
      after() {
        current = undefined;
      },
    });
  };
  return {
    getStore: () => current,
    run(value, work) {
      // Nothing is looked at before there is something to carry.
      if (!watched) watch();
      const before = current;
      current = value;
      try {
        return work();
      } finally {
        current = before;
      }
    },
  };
}
