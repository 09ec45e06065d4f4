import { randomBytes } from 'node:crypto';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { Configuration, Provider as OidcProvider } from 'oidc-provider';

interface Loaded {
  readonly oidc: OidcProvider;
  readonly callback: ReturnType<OidcProvider['callback']>;
}

/** Somebody whom the stand-in knows. */
interface Person {
  readonly id: string;
  readonly name: string;
  readonly handle: string;
}

const PEOPLE: readonly Person[] = [
  { id: 'guild-011', name: 'Marit Holloway', handle: 'marit' },
  { id: 'guild-012', name: 'Tobiah Reed', handle: 'tobiah_reed' },
  { id: 'guild-013', name: 'Senna Quill', handle: 'senna' },
];

/**
 * A small OpenID provider on loopback for demos and tests: the Boatbuilders' Guild, where whoever comes says who they are.
 */
export class StandInProvider {
  readonly #server: Server;
  readonly #clientSecret = randomBytes(24).toString('base64url');
  #redirects: readonly string[] | null = null;
  #loading: Promise<Loaded> | null = null;
  #issuer = '';

  readonly #page: (title: string, body: string) => string;

  /** @param page a readable page of a title and HTML that is safe already */
  constructor(page: (title: string, body: string) => string) {
    this.#page = page;
    this.#server = createServer((request, response) => {
      this.#answer(request, response).catch(() => response.headersSent || response.writeHead(500).end());
    });
  }

  /** Begins to listen on a free port. */
  async listen(): Promise<void> {
    await new Promise<void>((resolve, reject) => {
      this.#server.once('error', reject);
      this.#server.listen(0, '127.0.0.1', resolve);
    });
    this.#issuer = `http://127.0.0.1:${(this.#server.address() as { port: number }).port}`;
  }

  /** The stand-in as a configuration names a provider. */
  get provider() {
    return {
      name: 'guild',
      title: 'The Boatbuilders’ Guild',
      issuer: this.#issuer,
      clientId: 'gather-lane',
      clientSecret: this.#clientSecret,
    };
  }

  /** Says to which pages people may be sent back; until then nobody can sign in. */
  allow(redirects: readonly string[]): void {
    this.#redirects = redirects;
  }

  /** The provider, made when somebody comes: it takes half a second to load, and most demos are for something else. */
  #loaded(redirects: readonly string[]): Promise<Loaded> {
    return (this.#loading ??= (async () => {
      // Its warnings are for who runs it for real, and would alarm who reads them here.
      const { warn } = globalThis.console;
      globalThis.console.warn = () => undefined;
      try {
        const { Provider } = await import('oidc-provider');
        const oidc = new Provider(this.#issuer, this.#configuration(redirects));
        return { oidc, callback: oidc.callback() };
      } finally {
        globalThis.console.warn = warn;
      }
    })());
  }

  #configuration(redirects: readonly string[]): Configuration {
    return {
      clients: [
        {
          client_id: 'gather-lane',
          client_secret: this.#clientSecret,
          redirect_uris: [...redirects],
          grant_types: ['authorization_code'],
          response_types: ['code'],
        },
      ],
      claims: { openid: ['sub'], profile: ['name', 'preferred_username'] },
      conformIdTokenClaims: false,
      cookies: { keys: [randomBytes(24).toString('base64url')] },
      features: { devInteractions: { enabled: false } },
      interactions: { url: (_context, { uid }) => `/who/${uid}` },
      findAccount: (_context, id) => {
        const person = PEOPLE.find((each) => each.id === id);
        return (
          person && { accountId: id, claims: () => ({ sub: id, name: person.name, preferred_username: person.handle }) }
        );
      },
      // Nobody is asked whether the service may know their name: it is a stand-in.
      loadExistingGrant: async ({ oidc }) => {
        const grant = new oidc.provider.Grant({ clientId: oidc.client!.clientId, accountId: oidc.session!.accountId! });
        grant.addOIDCScope('openid profile');
        await grant.save();
        return grant;
      },
    };
  }

  close(): Promise<void> {
    this.#server.closeAllConnections();
    return new Promise((resolve) => this.#server.close(() => resolve()));
  }

  async #answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const [, uid, person] = /^\/who\/([\w-]+)(?:\/([\w-]+))?$/.exec(request.url ?? '') ?? [];
    if (!this.#redirects) return void response.writeHead(503).end();
    const { oidc, callback } = await this.#loaded(this.#redirects);
    if (uid === undefined) return void callback(request, response);
    if (request.method === 'POST' && PEOPLE.some(({ id }) => id === person))
      return oidc.interactionFinished(request, response, { login: { accountId: person! } });
    const choices = PEOPLE.map(
      ({ id, name, handle }) =>
        `<form method="post" action="/who/${uid}/${id}" style="margin:.75rem 0"><button style="font:inherit;padding:.4rem 1rem">${name} (${handle})</button></form>`,
    );
    const body = `<p>A stand-in for an outside provider, on this machine alone. Who are you?</p>${choices.join('')}`;
    response
      .writeHead(200, { 'content-type': 'text/html; charset=utf-8' })
      .end(this.#page('The Boatbuilders’ Guild', body));
  }
}
