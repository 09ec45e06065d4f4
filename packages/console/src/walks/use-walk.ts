import { callAny, type Proof } from '@gather-lane/client';
import { runWalk, type CameBack, type StepOutcome, type Walk, type WalkRunner } from '@gather-lane/core/calls';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { api, unwrap } from '../api';

type Running = AsyncGenerator<StepOutcome, void, void>;

/** A walk that is taken step by step. */
export interface TakenWalk {
  /** What is wrong with it, before anything is called. */
  readonly faults: Proof['faults'];
  /** As it was read; null where it could not be, or is not yet. */
  readonly walk: Walk | null;
  /** Why nothing can be said of it: the browser is not the operator, or nothing answers. */
  readonly unread: unknown;
  readonly outcomes: readonly StepOutcome[];
  readonly busy: boolean;
  readonly done: boolean;
  readonly error: string | null;
  next(): Promise<void>;
  whole(): Promise<void>;
  /** Ends it where it is; the people whom it made are removed. */
  stop(): Promise<void>;
  reset(): void;
}

/** The console calls the service that it is of, and no other. */
const OF_ANOTHER = {
  line: null,
  where: '',
  says: 'is for another service: take it in a terminal, with gather-lane walk FILE',
};

/** Takes a walk on the service that serves the console. */
export function useWalk(text: string): TakenWalk {
  const [outcomes, setOutcomes] = useState<readonly StepOutcome[]>([]);
  const [busy, setBusy] = useState(false);
  const [done, setDone] = useState(false);
  const [error, setError] = useState<string | null>(null);
  const running = useRef<Running | null>(null);
  const proof = useQuery({
    queryKey: ['proof', 'walk', text],
    staleTime: Infinity,
    placeholderData: (before) => before,
    retry: false,
    queryFn: async () => unwrap(await api.POST('/v1/operator/proofs', { body: { walk: text } })),
  });
  const current = proof.isPlaceholderData ? undefined : proof.data;
  const walk = (current?.walk ?? null) as Walk | null;
  const elsewhere =
    walk?.service?.address !== undefined && new URL(walk.service.address).origin !== window.location.origin;
  const faults = elsewhere ? [OF_ANOTHER, ...(proof.data?.faults ?? [])] : (proof.data?.faults ?? []);
  // Whoever leaves the page leaves nobody behind.
  useEffect(() => () => void ended(running.current), []);

  const begin = (): Running => {
    setOutcomes([]);
    setDone(false);
    setError(null);
    return (running.current = runWalk(walk!, runner()));
  };
  /** @returns whether there was one, and it was met */
  const take = async (walk: Running): Promise<boolean> => {
    const step = await walk.next();
    if (step.done) {
      running.current = null;
      setDone(true);
      return false;
    }
    setOutcomes((before) => [...before, step.value]);
    return true;
  };
  const doing = async (work: () => Promise<void>) => {
    setBusy(true);
    try {
      await work();
    } catch (failure) {
      setError((failure as Error).message);
      setDone(true);
    } finally {
      setBusy(false);
    }
  };
  return {
    faults,
    walk,
    unread: proof.error,
    outcomes,
    busy,
    done,
    error,
    next: () => doing(async () => void (await take(running.current ?? begin()))),
    whole: () =>
      doing(async () => {
        const walk = running.current ?? begin();
        while (await take(walk));
      }),
    stop: () =>
      doing(async () => {
        await ended(running.current);
        running.current = null;
        setDone(true);
      }),
    reset: () => {
      void ended(running.current);
      running.current = null;
      setOutcomes([]);
      setDone(false);
      setError(null);
    },
  };
}

/** Ends a walk where it is: its people go, each a step of its own. */
async function ended(walk: Running | null): Promise<void> {
  let step = await walk?.return();
  while (step && !step.done) step = await walk!.next();
}

/** What is looked at and called as the operator goes by this browser's own right, which no script can read. */
const AS_OPERATOR = 'x-as-operator';

function runner(): WalkRunner {
  return {
    mark: crypto.getRandomValues(new Uint32Array(1))[0]!.toString(16).padStart(8, '0'),
    now: () => performance.now(),
    unfit: async (schema, value) => {
      const body = { value: { schema: schema as Record<string, never>, ...(value !== undefined && { value }) } };
      const { faults } = unwrap(await api.POST('/v1/operator/proofs', { body }));
      return faults.map(({ where, says }) => ({ at: where, expected: says, came: undefined }));
    },
    wait: (ms) => new Promise((resolve) => setTimeout(resolve, ms)),
    operator: { [AS_OPERATOR]: 'yes' },
    send: async (call) => {
      const { [AS_OPERATOR]: asOperator, ...headers } = call.headers as Record<string, string>;
      if (asOperator === undefined) return (await callAny(window.location.origin, { ...call, headers })) as CameBack;
      const trace = /^\/v1\/operator\/traces\/([^/]+)$/.exec(call.path)?.[1];
      if (trace !== undefined) {
        const { data, response } = await api.GET('/v1/operator/traces/{trace}', { params: { path: { trace } } });
        return { status: response.status, headers: {}, body: data as never };
      }
      const { data, error, response } = await api.POST('/v1/operator/calls', {
        body: {
          method: call.method as 'GET',
          path: call.path,
          headers,
          ...(call.body !== undefined && { body: call.body }),
          callers: [{ as: 'operator' }],
          keep: true,
        },
      });
      const [made] = data?.outcomes ?? [];
      if (!made || made.status === null)
        throw new Error(made?.says ?? `The service answered ${response.status}: ${error?.detail ?? ''}`);
      return { status: made.status, headers: made.headers, body: made.body as never };
    },
  };
}
