import { useQueryClient } from '@tanstack/react-query';
import { useCallback } from 'react';

/** After a change: every list is fetched afresh from the one place that answers it, so none can differ. */
export function useRefreshLists(): () => Promise<void> {
  const queryClient = useQueryClient();
  return useCallback(
    () => queryClient.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'about' }),
    [queryClient],
  );
}
