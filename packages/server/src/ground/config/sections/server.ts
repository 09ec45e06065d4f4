import { Type } from 'typebox';
import { closed } from './closed.js';

/** Where the service listens, and how it is reached. */
export const Server = Type.Object(
  {
    host: Type.String({
      default: '127.0.0.1',
      description: 'Address to listen on; loopback unless told otherwise.',
    }),
    port: Type.Integer({
      default: 7461,
      minimum: 0,
      maximum: 65535,
      description: 'Port to listen on; 0 takes a free one.',
    }),
    processes: Type.Integer({
      default: 1,
      minimum: 1,
      maximum: 64,
      description: 'How many processes serve; at most half the cores, since PostgreSQL needs some too.',
    }),
    publicAddress: Type.Optional(
      Type.String({
        pattern: '^https?://[^/?#]+(/[^?#]*)?$',
        description: 'How callers reach the service, with a base path if there is one. Links are made from it.',
      }),
    ),
    hosts: Type.Array(Type.String(), {
      default: ['127.0.0.1', 'localhost', '[::1]'],
      description: 'Names that a request may carry as its Host, beside that of publicAddress.',
    }),
    origins: Type.Array(Type.String({ pattern: '^https?://[^/]+$' }), {
      default: [],
      description: 'Origins whose pages may call the API from a browser (CORS), with a bearer token; none unless set.',
    }),
    proxies: Type.Array(Type.String(), {
      default: [],
      description:
        'Addresses of proxies whose X-Forwarded-For is believed, so that limits count callers, not the proxy.',
    }),
    headersSeconds: Type.Integer({
      default: 10,
      minimum: 1,
      maximum: 3600,
      description: 'How long the head of a request may take to arrive.',
    }),
    requestSeconds: Type.Integer({
      default: 60,
      minimum: 1,
      maximum: 3600,
      description: 'How long a whole request may take to arrive, its body too.',
    }),
    keepAliveSeconds: Type.Integer({
      default: 65,
      minimum: 1,
      maximum: 3600,
      description: 'How long a connection is kept open without a request.',
    }),
    stopSeconds: Type.Integer({
      default: 10,
      minimum: 1,
      maximum: 3600,
      description: 'How long calls under way have to end when the service stops; then they are cut.',
    }),
  },
  closed,
);
