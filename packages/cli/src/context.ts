import { existsSync, readFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { createClient as clientOf, unwrap, type Client, type ClientOptions } from '@gather-lane/client';
import { callOnce } from './calling.js';
import { Failure } from './failure.js';
import { store } from './store.js';

const DEFAULT_ADDRESS = 'http://127.0.0.1:7461';
const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;

const createClient = (options: Omit<ClientOptions, 'fetch'>): Client => clientOf({ ...options, fetch: callOnce });

/** Options that every command takes. */
export interface CommonOptions {
  readonly address?: string;
  readonly json?: boolean;
}

/** The address of the service that a command talks to. */
export function addressOf(options: CommonOptions): string {
  const given = options.address ?? process.env.GATHER_LANE_ADDRESS ?? DEFAULT_ADDRESS;
  const whole = /^[a-z][a-z0-9+.-]*:\/\//i.test(given) ? given : `http://${given}`;
  if (!/^https?:/i.test(whole) || !URL.canParse(whole))
    throw new Failure(
      `"${given}" is no address of a service: write it as ${DEFAULT_ADDRESS} (${options.address === undefined ? 'GATHER_LANE_ADDRESS' : '--address'}).`,
      2,
    );
  return whole.replace(/\/+$/, '');
}

/** The kept session as calls send it, renewed once when it has expired. */
export function credentialsOf(options: CommonOptions) {
  const address = addressOf(options);
  return {
    address,
    token: () => store.session(address)?.accessToken ?? null,
    renew: async () => {
      const session = store.session(address);
      if (!session?.refreshToken) return false;
      const { data } = await createClient({ address }).POST('/v1/sessions/refresh', {
        body: { refreshToken: session.refreshToken },
      });
      if (data?.accessToken)
        store.keep(address, { accessToken: data.accessToken, refreshToken: data.refreshToken, handle: session.handle });
      return data !== undefined;
    },
  };
}

/** A client that sends the kept session. */
export function connect(options: CommonOptions): { client: Client; address: string } {
  const credentials = credentialsOf(options);
  return { client: createClient(credentials), address: credentials.address };
}

/** A client that sends no credential: for signing in, which a session that has ended must not get in the way of. */
export function connectAsNobody(options: CommonOptions): { client: Client; address: string } {
  const address = addressOf(options);
  return { client: createClient({ address }), address };
}

/** A client that acts as the operator, with the key of the environment or of a data folder. */
export function connectAsOperator(options: CommonOptions & { data?: string }): Client {
  const path = resolve(options.data ?? '.gather-lane', 'operator.key');
  const key = process.env.GATHER_LANE_OPERATOR_KEY ?? (existsSync(path) ? readFileSync(path, 'utf8').trim() : null);
  if (!key)
    throw new Failure(
      `This needs the operator key, and there is none at ${path}: run it in the service's folder, name its data folder with --data, or set GATHER_LANE_OPERATOR_KEY.`,
    );
  return createClient({ address: addressOf(options), token: () => key });
}

/** The whole id that a shortened one means: the one shown lately that ends so. */
export function wholeId(text: string, address: string): string {
  const end = text.toLowerCase();
  if (UUID.test(end)) return end;
  if (!/^[0-9a-f-]{3,}$/.test(end))
    throw new Failure(`"${text}" is no id: give an id, or its last characters (at least three).`, 2);
  const matches = store.seen(address).filter((id) => id.endsWith(end));
  if (matches.length === 1) return matches[0]!;
  throw new Failure(
    matches.length === 0
      ? `No id shown lately ends in "${text}": list it first (gather-lane feed), or give the whole id.`
      : `Several ids end in "${text}": ${matches.slice(0, 5).join(', ')}. Give more characters.`,
  );
}

/** `@handle` as a path takes it; a bare handle is understood too. */
export const userRef = (text: string): string => (text.startsWith('@') || UUID.test(text) ? text : `@${text}`);

export { unwrap };
