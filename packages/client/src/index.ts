export {
  createClient,
  ServiceProblem,
  ServiceTooSlow,
  ServiceUnreachable,
  unwrap,
  type Client,
  type ClientOptions,
} from './client.js';
export { followEvents, type EventsOptions, type ServiceEvent } from './events.js';
export type { components, operations, paths } from './generated/api.js';
export type * from './shapes.js';

/**
 * The developer's own fields by table. The declaration that `gather-lane model --types` writes fills it in; without one, their
 * values are unknown.
 */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type -- a declaration elsewhere fills it in
export interface OwnFields {}

/** The own fields of one table, as replies carry them. */
export type OwnFieldsOf<Table extends string> =
  OwnFields extends Record<Table, infer Fields> ? Fields : Record<string, unknown>;
export { callAny, type AnyCall, type AnyReply } from './any-call.js';
