import type { About, Session } from '@gather-lane/client';
import { ServiceProblem } from '@gather-lane/client';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import {
  createContext,
  useCallback,
  useContext,
  useEffect,
  useMemo,
  useState,
  useSyncExternalStore,
  type ReactNode,
} from 'react';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import { errorText } from '../common/states';
import { onSessionChange, readSession, toKept, writeSession, type KeptSession } from './kept-session';
import { OperatorDialog } from './operator-dialog';
import { SignInDialog } from './sign-in-dialog';

interface SessionContextValue {
  readonly session: KeptSession | null;
  readonly about: About | undefined;
  /** Acts as a user: by the operator's right, by the demo's password, or by asking for the password. */
  readonly actAs: (handle: string) => Promise<void>;
  readonly askSignIn: (handle?: string) => void;
  readonly askOperatorKey: () => void;
  /** Goes on as who has just signed in. */
  readonly signedIn: (session: Session) => void;
  readonly signOut: () => Promise<void>;
}

const SessionContext = createContext<SessionContextValue | null>(null);

/** Whom the console acts as, and how to change that. */
export function useSession(): SessionContextValue {
  const value = useContext(SessionContext);
  if (!value) throw new Error('useSession needs a SessionProvider around it');
  return value;
}

/** What only the operator is told. */
const OF_OPERATOR = ({ queryKey }: { queryKey: readonly unknown[] }) =>
  [
    'stats',
    'ownership',
    'refused',
    'mailbox',
    'weightings',
    'trial',
    'inspection',
    'traces',
    'trace',
    'activity',
  ].includes(String(queryKey[0]));

const KEY_IN_ADDRESS = /^#operator-key=(.+)$/;

/** Knows whom the console acts as, for everything inside it, and shows the dialogs that ask. */
export function SessionProvider({ children }: { children: ReactNode }) {
  const session = useSyncExternalStore(onSessionChange, readSession);
  const queryClient = useQueryClient();
  const tell = useNotice();
  const [signIn, setSignIn] = useState<{ handle: string } | null>(null);
  const [asksKey, setAsksKey] = useState(false);
  const { data: about } = useQuery({
    queryKey: ['about'],
    queryFn: async () => unwrap(await api.GET('/v1/about')),
    staleTime: Infinity,
  });

  const become = useCallback(
    (next: KeptSession | null, word: string) => {
      writeSession(next);
      // What the one may see is not for the next.
      queryClient.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'about' && queryKey[0] !== 'stats' });
      tell(word);
    },
    [queryClient, tell],
  );

  const actAs = useCallback(
    async (handle: string) => {
      const acting = await api.POST('/v1/operator/sessions', { body: { user: `@${handle}`, cookie: true } });
      if (acting.data) return become(toKept(acting.data), `Acting as @${handle}.`);
      if (about?.demo) {
        const { password } = about.demo;
        const demo = await api.POST('/v1/sessions', { body: { login: handle, password, cookie: true } });
        if (demo.data) return become(toKept(demo.data), `Acting as @${handle}.`);
      }
      setSignIn({ handle });
    },
    [about, become],
  );

  const signOut = useCallback(async () => {
    try {
      const { response } = await api.DELETE('/v1/sessions/current');
      if (!response.ok && response.status !== 401) return tell('The service did not sign you out: try again.', 'error');
      become(null, 'Signed out.');
    } catch (error) {
      tell(errorText(error), 'error');
    }
  }, [become, tell]);

  const openAsOperator = useCallback(
    async (key: string) => {
      const { response, error } = await api.POST('/v1/operator/browser-sessions', { body: { key } });
      if (!response.ok) throw new ServiceProblem(response.status, error!);
      // A first look that is still under way was made without the key: its refusal must not come last.
      await queryClient.cancelQueries({ predicate: OF_OPERATOR });
      await queryClient.resetQueries({ predicate: OF_OPERATOR });
      tell('This browser is the operator now.');
    },
    [queryClient, tell],
  );

  // The address that the demo prints carries the key behind #, which browsers never send; it is taken out at once.
  useEffect(() => {
    const takeKey = () => {
      const key = KEY_IN_ADDRESS.exec(window.location.hash)?.[1];
      if (!key) return;
      window.history.replaceState(window.history.state, '', window.location.pathname + window.location.search);
      openAsOperator(decodeURIComponent(key)).catch((error: unknown) => tell(errorText(error), 'error'));
    };
    takeKey();
    window.addEventListener('hashchange', takeKey);
    return () => window.removeEventListener('hashchange', takeKey);
  }, [openAsOperator, tell]);

  const value = useMemo(
    () => ({
      session,
      about,
      actAs,
      askSignIn: (handle = '') => setSignIn({ handle }),
      askOperatorKey: () => setAsksKey(true),
      signedIn: (next: Session) => become(toKept(next), `Signed in as @${next.user.handle}.`),
      signOut,
    }),
    [session, about, actAs, become, signOut],
  );
  return (
    <SessionContext value={value}>
      {children}
      {signIn && (
        <SignInDialog
          handle={signIn.handle}
          demo={about?.demo ?? null}
          onDone={(next) => {
            setSignIn(null);
            value.signedIn(next);
          }}
          onClose={() => setSignIn(null)}
        />
      )}
      {asksKey && <OperatorDialog onKey={openAsOperator} onClose={() => setAsksKey(false)} />}
    </SessionContext>
  );
}
