import { operationsOf, type ApiDocument, type FoundOperation } from '@gather-lane/core/calls';
import { useQuery } from '@tanstack/react-query';

/** The service as it describes itself: what can be called. */
export interface Api {
  readonly document: ApiDocument;
  readonly operations: readonly FoundOperation[];
}

/** Reads the API document, once. */
export function useApi() {
  return useQuery({
    queryKey: ['api-document'],
    staleTime: Infinity,
    queryFn: async (): Promise<Api> => {
      const reply = await fetch('/v1/openapi.json');
      if (!reply.ok) throw new Error(`The API document could not be read: ${reply.status}.`);
      const document = (await reply.json()) as ApiDocument;
      return { document, operations: operationsOf(document) };
    },
  });
}

/** What an operation is called in addresses and lists: `POST /v1/posts`. */
export const nameOf = ({ method, template }: FoundOperation): string => `${method} ${template}`;
