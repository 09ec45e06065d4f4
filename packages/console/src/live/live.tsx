import type { Newer, Notification, PostTallies, Unseen } from '@gather-lane/client';
import { useQueryClient } from '@tanstack/react-query';
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { patchEverywhere } from '../posts/patch-posts';
import { useSession } from '../session/session';

const MOST_POSTS = 100;
/** Posts that come on screen together are asked for together. */
const SETTLES_MS = 400;

interface Live {
  /** Puts a post on screen; what it gives back takes it off. */
  readonly show: (post: string) => () => void;
  /** Counts what comes above this `first` of a feed; what it gives back ends that. */
  readonly countAbove: (first: string) => () => void;
  /** The latest notification that came while somebody looks, or null. */
  readonly latest: Notification | null;
}

const LiveContext = createContext<Live | null>(null);

/** What happens while somebody looks. */
export function useLive(): Live {
  const value = useContext(LiveContext);
  if (!value) throw new Error('useLive needs a LiveProvider around it');
  return value;
}

/** The counts of a post that is on screen follow what others do. */
export function useOnScreen(post: string): void {
  const { show } = useLive();
  useEffect(() => show(post), [show, post]);
}

/** One stream of events for the whole console, as whom it acts; only while its tab is looked at, since browsers open few. */
export function LiveProvider({ children }: { children: ReactNode }) {
  const { session } = useSession();
  const viewer = session?.id;
  const queryClient = useQueryClient();
  const shown = useRef(new Map<string, number>());
  const [posts, setPosts] = useState('');
  const [first, setFirst] = useState<string | null>(null);
  const [isVisible, setVisible] = useState(() => document.visibilityState === 'visible');
  const [latest, setLatest] = useState<{ viewer: string; notification: Notification } | null>(null);
  const lastId = useRef<{ viewer: string; id: string } | null>(null);

  const settle = useRef<ReturnType<typeof setTimeout>>(undefined);
  const show = useCallback((post: string) => {
    const count = (by: number) => {
      const n = (shown.current.get(post) ?? 0) + by;
      if (n > 0) shown.current.set(post, n);
      else shown.current.delete(post);
      clearTimeout(settle.current);
      settle.current = setTimeout(
        () => setPosts([...shown.current.keys()].slice(-MOST_POSTS).sort().join(',')),
        SETTLES_MS,
      );
    };
    count(1);
    return () => count(-1);
  }, []);
  const countAbove = useCallback((cursor: string) => {
    setFirst(cursor);
    return () => setFirst((now) => (now === cursor ? null : now));
  }, []);

  useEffect(() => {
    const look = () => setVisible(document.visibilityState === 'visible');
    document.addEventListener('visibilitychange', look);
    return () => document.removeEventListener('visibilitychange', look);
  }, []);

  useEffect(() => {
    if (!viewer || !isVisible) return;
    const query = new URLSearchParams({
      ...(posts && { posts }),
      ...(first && { than: first }),
      ...(lastId.current?.viewer === viewer && { after: lastId.current.id }),
    });
    const source = new EventSource(`/v1/events?${query.toString()}`);
    const on = <T,>(event: string, take: (data: T) => void) =>
      source.addEventListener(event, ({ data, lastEventId }: MessageEvent<string>) => {
        if (lastEventId) lastId.current = { viewer, id: lastEventId };
        take(JSON.parse(data) as T);
      });
    on<Unseen>('unseen', (unseen) => queryClient.setQueryData(['unseen', viewer], unseen));
    on<Notification>('notification', (notification) => setLatest({ viewer, notification }));
    on<Newer>('newer', (newer) => first && queryClient.setQueryData(['newer', first], newer));
    on<{ items: { postId: string; tallies: PostTallies }[] }>('tallies', ({ items }) => {
      for (const { postId, tallies } of items) patchEverywhere(queryClient, postId, (post) => ({ ...post, tallies }));
    });
    on('reset', () => void queryClient.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'about' }));
    return () => source.close();
  }, [viewer, isVisible, posts, first, queryClient]);

  // What came for whom it acted as before is not for whom it acts as now.
  const own = latest !== null && latest.viewer === viewer ? latest.notification : null;
  const value = useMemo(() => ({ show, countAbove, latest: own }), [show, countAbove, own]);
  return <LiveContext value={value}>{children}</LiveContext>;
}
