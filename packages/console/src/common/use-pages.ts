import { useInfiniteQuery, type QueryKey } from '@tanstack/react-query';

interface Page<T> {
  readonly items: readonly T[];
  readonly next: string | null;
}

/**
 * A list that is read page by page.
 * @param read a page; `after` is the cursor to read on from, and not there for the first one
 * @returns the query, the pages so far, and what is on them
 */
export function usePages<T, P extends Page<T>>(
  queryKey: QueryKey,
  read: (from: { readonly after?: string }, signal: AbortSignal) => Promise<P & Page<T>>,
) {
  const list = useInfiniteQuery({
    queryKey,
    initialPageParam: null as string | null,
    queryFn: ({ pageParam, signal }) => read(pageParam === null ? {} : { after: pageParam }, signal),
    getNextPageParam: (page) => page.next,
  });
  const pages = list.data?.pages ?? [];
  return { list, pages, items: pages.flatMap((page) => page.items) };
}
