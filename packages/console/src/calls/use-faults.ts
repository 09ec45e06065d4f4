import { ServiceProblem, type Proof } from '@gather-lane/client';
import type { FoundOperation } from '@gather-lane/core/calls';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { api, unwrap } from '../api';
import { readBody, type Draft } from './draft';

/** What is wrong with one value of a draft. */
export type DraftFault = Proof['faults'][number];

/** Whoever types is not asked after at each letter. */
const SETTLE_MS = 200;

/** What the service would say of a draft, in its own words, as it is being written; those of parameters under `parameter/`. */
export function useFaults(found: FoundOperation, draft: Draft): readonly DraftFault[] {
  const [settled, setSettled] = useState(draft);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(draft), SETTLE_MS);
    return () => clearTimeout(timer);
  }, [draft]);
  const read = readBody(settled.body);
  const { method, template } = found;
  const proof = useQuery({
    queryKey: ['proof', method, template, settled.parameters, settled.body],
    enabled: 'value' in read,
    staleTime: Infinity,
    placeholderData: (before) => before,
    retry: false,
    queryFn: async () => {
      const body = 'value' in read ? read.value : undefined;
      const call = { method, template, parameters: { ...settled.parameters }, ...(body !== undefined && { body }) };
      const reply = await api.POST('/v1/operator/proofs', { body: { call } });
      // Who is not the operator is told when they send.
      if (reply.response.status === 401) return [];
      return unwrap(reply).faults;
    },
  });
  if ('fault' in read) return [{ line: null, where: '', says: read.fault }];
  if (proof.error instanceof ServiceProblem) return [{ line: null, where: '', says: proof.error.message }];
  return proof.data ?? [];
}
