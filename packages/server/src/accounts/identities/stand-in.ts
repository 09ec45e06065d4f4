import type { Provider } from './providers.js';

/** The outside provider of a demo, on this machine. */
export abstract class StandIn {
  /** The stand-in as a configuration names a provider. */
  abstract get provider(): Provider;
  /** Says to which pages people may be sent back; until then nobody can sign in. */
  abstract allow(redirects: readonly string[]): void;
}
