export { createClient, ServiceProblem, ServiceUnreachable, unwrap, type Client, type ClientOptions } from './client.js';
export type { components, operations, paths } from './generated/api.js';
export type * from './shapes.js';
