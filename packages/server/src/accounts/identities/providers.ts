import * as oidc from 'openid-client';
import { tracedFetch } from '../../ground/traces/traced-fetch.js';
import { Problem } from '../../ground/http/problem.js';
import type { ClaimNames } from './claims.js';

/** An outside provider that people may sign in through. */
export interface Provider {
  /** As paths and configuration name it. */
  readonly name: string;
  readonly title: string;
  readonly issuer: string;
  readonly clientId: string;
  readonly clientSecret?: string;
  /** The page that the provider sends the browser back to; one of the service unless set. */
  readonly redirectAddress?: string;
  readonly scopes?: string;
  readonly claims?: ClaimNames;
}

/** What is remembered of a sign-in while it is under way at the provider. */
export interface Begun {
  readonly state: string;
  readonly nonce: string;
  readonly verifier: string;
}

const KEPT_MS = 3_600_000;
const TOLERANCE_S = 30;
/** So long a provider is waited for: whoever signs in hears within five seconds that it does not answer. */
const ANSWERS_WITHIN_S = 4;
/** What goes wrong between the provider and us, and is no refusal: it does not answer, or not in OpenID Connect's words. */
const AWAY = [
  'OAUTH_TIMEOUT',
  'OAUTH_ABORT',
  'OAUTH_RESPONSE_IS_NOT_JSON',
  'OAUTH_RESPONSE_IS_NOT_CONFORM',
  'OAUTH_PARSE_ERROR',
];
const isLoopback = (address: string): boolean =>
  ['127.0.0.1', 'localhost', '[::1]'].includes(new URL(address).hostname);

/** Speaks OpenID Connect (Core 1.0, code flow with PKCE) with the configured providers. */
export class Providers {
  readonly #providers: readonly Provider[];
  readonly #found = new Map<string, { at: number; configuration: Promise<oidc.Configuration> }>();

  constructor(providers: readonly Provider[]) {
    this.#providers = providers;
  }

  get all(): readonly Provider[] {
    return this.#providers;
  }

  /** @throws Problem `not-found` */
  named(name: string): Provider {
    const provider = this.#providers.find((candidate) => candidate.name === name);
    if (!provider) throw new Problem('not-found', `No provider is called "${name}": see GET /v1/providers.`);
    return provider;
  }

  /** Where the browser goes to sign in, and what has to be remembered meanwhile. */
  async begin(provider: Provider, redirect: string): Promise<Begun & { address: string }> {
    const configuration = await this.#discover(provider);
    const [state, nonce, verifier] = [oidc.randomState(), oidc.randomNonce(), oidc.randomPKCECodeVerifier()];
    const address = oidc.buildAuthorizationUrl(configuration, {
      redirect_uri: redirect,
      scope: provider.scopes ?? 'openid profile',
      code_challenge: await oidc.calculatePKCECodeChallenge(verifier),
      code_challenge_method: 'S256',
      state,
      nonce,
    });
    return { state, nonce, verifier, address: address.href };
  }

  /**
   * The verified claims of who signed in: issuer, audience, nonce, time and signature of the ID token were checked.
   * @param parameters what the provider sent the browser back with
   * @throws Problem `provider-refused`
   */
  async finish(
    provider: Provider,
    redirect: string,
    begun: Begun,
    parameters: Readonly<Record<string, string>>,
  ): Promise<{ issuer: string; subject: string; claims: Record<string, unknown> }> {
    const configuration = await this.#discover(provider);
    const back = new URL(redirect);
    for (const [name, value] of Object.entries(parameters)) back.searchParams.set(name, value);
    try {
      const tokens = await oidc.authorizationCodeGrant(configuration, back, {
        pkceCodeVerifier: begun.verifier,
        expectedState: begun.state,
        expectedNonce: begun.nonce,
        idTokenExpected: true,
      });
      const claims = tokens.claims()!;
      return { issuer: claims.iss, subject: claims.sub, claims };
    } catch (error) {
      if (isAway(error)) throw away(provider, error);
      throw new Problem(
        'provider-refused',
        `${provider.title} did not confirm the sign-in: ${(error as Error).message}.`,
      );
    }
  }

  #discover(provider: Provider): Promise<oidc.Configuration> {
    const known = this.#found.get(provider.name);
    if (known && Date.now() - known.at < KEPT_MS) return known.configuration;
    const configuration = discover(provider).catch((error: unknown) => {
      this.#found.delete(provider.name);
      throw away(provider, error);
    });
    this.#found.set(provider.name, { at: Date.now(), configuration });
    return configuration;
  }
}

const isAway = (error: unknown): boolean => {
  const { code = '', name, cause } = error as { code?: string; name?: string; cause?: unknown };
  return (
    AWAY.includes(code) ||
    name === 'TimeoutError' ||
    (cause instanceof TypeError && !(error instanceof oidc.ResponseBodyError)) ||
    error instanceof TypeError
  );
};

const away = (provider: Provider, error: unknown): Problem =>
  new Problem('provider-away', `${provider.title} does not answer at ${provider.issuer}: ${(error as Error).message}.`);

async function discover({ issuer, clientId, clientSecret }: Provider): Promise<oidc.Configuration> {
  // The code is exchanged directly, over TLS; the signature is checked all the same.
  const execute = [oidc.enableNonRepudiationChecks, ...(isLoopback(issuer) ? [oidc.allowInsecureRequests] : [])];
  const metadata = {
    ...(clientSecret !== undefined && { client_secret: clientSecret }),
    [oidc.clockTolerance]: TOLERANCE_S,
  };
  return oidc.discovery(new URL(issuer), clientId, metadata, undefined, {
    execute,
    timeout: ANSWERS_WITHIN_S,
    [oidc.customFetch]: tracedFetch,
  });
}
