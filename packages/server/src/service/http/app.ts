import { randomUUID } from 'node:crypto';
import { readTraceparent } from '@gather-lane/core';
import { setTimeout as pause } from 'node:timers/promises';
import cookie from '@fastify/cookie';
import cors from '@fastify/cors';
import fastifyStatic from '@fastify/static';
import swaggerUi from '@fastify/swagger-ui';
import type { TypeBoxTypeProvider } from '@fastify/type-provider-typebox';
import fastify, { LogController, type FastifyInstance, type RouteOptions } from 'fastify';
import { Identities } from '../../accounts/identities/service.js';
import { DeniedAttempts } from '../../accounts/denied-attempts/service.js';
import { OperatorBrowserSessions } from '../../accounts/operator/browser-sessions.js';
import { OperatorKey } from '../../accounts/operator/key.js';
import { Sessions } from '../../accounts/sessions/service.js';
import type { House } from '../../ground/capability/house.js';
import type { FindOwned } from '../../ground/http/doorway.js';
import type { Assembled } from '../assemble.js';
import { CallsUnderWay } from './calls.js';
import { useDoorways } from './doorways.js';
import { useRateLimits } from './rate-limits.js';
import { answerBrokenRequest, answerUnroutable, sendProblem, useProblems } from './errors.js';
import { useHostCheck, useOriginCheck } from '../../ground/http/origin.js';
import { openApiDocument, useOpenApi } from './openapi.js';
import { Problem } from '../../ground/http/problem.js';
import { useSecurityHeaders } from './security-headers.js';
import { compileGoodReplies } from './serialisation.js';
import { Metrics } from '../../ground/metrics/metrics.js';
import { useSeen } from '../../ground/standbys/seen.js';
import { Standbys } from '../../ground/standbys/standbys.js';
import { SharedCounts } from '../../ground/rates/shared-counts.js';
import { ProblemSchema } from '../../ground/http/schemas.js';
import { Recorder } from '../../workbench/traces/recorder.js';
import { useSpans } from './spans.js';
import { useTraces } from './traces.js';
import { useValidation } from './validation.js';

const BODY_LIMIT = 256 * 1024;
/** How long the database has to say that it is there. */
const READY_WITHIN_MS = 1_500;

/** What the HTTP application is told beside its services. */
export interface AppOptions {
  /** Folder of the built console; without it no console is served. */
  readonly consoleFolder: string | undefined;
  /** Why the service cannot work yet, or null when it can. */
  readonly notReady: () => string | null;
  /** Whether the operator's routes work even so: they can then bring the tables to the model. */
  readonly operatorReady?: () => boolean;
  /** Counts the calls that are under way; the service stops by it. */
  readonly calls?: CallsUnderWay;
  readonly logStream?: NodeJS.WritableStream;
  /** Looks at each route, and may change it, before it is registered. */
  readonly onRoute?: (route: RouteOptions) => void;
}

/** Builds the HTTP application: everything but listening. */
export async function buildApp({ house, running }: Assembled, options: AppOptions): Promise<FastifyInstance> {
  const { config, address, pass } = house;
  const { headersSeconds, requestSeconds, keepAliveSeconds } = config.server;
  const app = fastify({
    bodyLimit: BODY_LIMIT,
    requestTimeout: requestSeconds * 1000,
    keepAliveTimeout: keepAliveSeconds * 1000,
    http: { headersTimeout: headersSeconds * 1000, connectionsCheckingInterval: 1_000 },
    clientErrorHandler: (error, socket) => answerBrokenRequest(error, socket, address),
    frameworkErrors: (error, request, reply) => answerUnroutable(error, request, reply, address),
    genReqId: () => randomUUID(),
    // Whoever follows a call through several services finds its lines by the trace that it came with.
    childLoggerFactory: (logger, bindings, options, { headers }) => {
      const traceId = readTraceparent([headers.traceparent].flat()[0])?.traceId;
      return logger.child(traceId === undefined ? bindings : { ...bindings, traceId }, options);
    },
    logger:
      config.log.level === 'silent'
        ? false
        : {
            level: config.log.level,
            stream: options.logStream ?? process.stderr,
            redact: ['req.headers.authorization', 'req.headers.cookie'],
            serializers: { err: describeError },
          },
    logController: new LogController({
      disableRequestLogging: config.log.level !== 'debug' && config.log.level !== 'info',
    }),
    routerOptions: { maxParamLength: 100 },
    forceCloseConnections: 'idle',
    schemaController: { compilersFactory: { buildSerializer: compileGoodReplies } },
    // Only who is named here is believed about whom it speaks for.
    trustProxy: config.server.proxies.length > 0 ? config.server.proxies : false,
  }).withTypeProvider<TypeBoxTypeProvider>();

  const metrics = house.get(Metrics);
  const calls = options.calls ?? new CallsUnderWay();
  calls.use(app, metrics.answered.bind(metrics));
  metrics.add({
    name: 'http_server_active_requests',
    help: 'Calls that are under way',
    now: () => [{ value: calls.size }],
  });
  useSpans(app);
  useTraces(app, house.find(Recorder));
  useProblems(app, address);
  useValidation(app, config.limits);
  useHostCheck(app, config.server, pass);
  if (options.onRoute) app.addHook('onRoute', options.onRoute);
  await app.register(cookie);
  // JSON is what is taken; a text that only looks like it is refused by its type.
  app.removeContentTypeParser('text/plain');
  await useSecurityHeaders(app, address);
  await app.register(cors, {
    // Closed unless configured; a cookie is never sent along, so a page elsewhere needs a token of its own.
    origin: config.server.origins.length > 0 ? config.server.origins : false,
    credentials: false,
    exposedHeaders: [
      'etag',
      'link',
      'location',
      'retry-after',
      'gather-trace',
      'gather-seen',
      'ratelimit-limit',
      'ratelimit-remaining',
      'ratelimit-reset',
    ],
    maxAge: 600,
  });
  app.addContentTypeParser(
    'application/merge-patch+json',
    { parseAs: 'string' },
    app.getDefaultJsonParser('error', 'error'),
  );

  const limits = await useRateLimits(app, config, pass, house.get(SharedCounts));
  readiness(app, house, options);
  useDoorways(
    app,
    {
      sessions: house.get(Sessions),
      identities: house.get(Identities),
      key: house.get(OperatorKey),
      browserSessions: house.get(OperatorBrowserSessions),
      denied: house.get(DeniedAttempts),
    },
    findersOf(running),
    limits,
  );
  useOriginCheck(app, address);
  useSeen(app, house.get(Standbys), [house.database, house.background]);
  app.addSchema(ProblemSchema);
  await useOpenApi(app, config, () => address.base);

  for (const { routes } of running) await routes?.(app);
  const describe = () => openApiDocument(app, config, address.base);
  await app.register((scope) => pages(scope, options.consoleFolder, describe));
  return app;
}

/** An error for the log: of a failed statement what PostgreSQL says, never the values that were sent with it. */
function describeError(error: Error & { code?: string }) {
  const { name, message, stack, code } = error;
  return { type: name, message, stack: stack ?? '', ...(code !== undefined && { code }) };
}

/** @throws Error where two capabilities say whose the same kind of thing is: one would decide over the other's */
function findersOf(running: Assembled['running']): ReadonlyMap<string, FindOwned> {
  const finders = new Map<string, FindOwned>();
  for (const [kind, find] of running.flatMap(({ owners }) => Object.entries(owners ?? {}))) {
    if (finders.has(kind)) throw new Error(`Two capabilities say whose a ${kind} is.`);
    finders.set(kind, find);
  }
  return finders;
}

function readiness(app: FastifyInstance, { address, database }: House, { notReady, operatorReady }: AppOptions): void {
  const worksEvenSo = (url: string) =>
    !url.startsWith('/v1/') ||
    url.startsWith('/v1/openapi') ||
    url === '/v1/about' ||
    (url.startsWith('/v1/operator/') && (operatorReady?.() ?? false));
  app.addHook('onRequest', (request, _reply, done) => {
    const reason = notReady();
    const { url } = request.routeOptions;
    done(reason && url !== undefined && !worksEvenSo(url) ? new Problem('not-ready', reason) : undefined);
  });
  app.get('/ready', { config: { doorway: 'anyone' }, schema: { hide: true } }, async (request, reply) => {
    const reason = notReady();
    if (reason) return sendProblem(reply, request, address, new Problem('not-ready', reason));
    const answers = await Promise.race([
      database.query(`SELECT 1`).then(() => true),
      pause(READY_WITHIN_MS, false, { ref: false }),
    ]);
    if (!answers) throw new Problem('no-database', 'The database does not answer: try again in a moment.');
    return reply.send({ ready: true });
  });
  // Alive is whoever answers: nothing is asked of the database.
  app.get('/health', { config: { doorway: 'anyone' }, schema: { hide: true } }, () => ({ alive: true }));
}

/** The readable API document and the console: routes of other packages, all open to anyone. */
async function pages(
  app: FastifyInstance,
  consoleFolder: string | undefined,
  describe: () => Record<string, unknown>,
): Promise<void> {
  app.addHook('onRoute', (route) => {
    route.config = { ...route.config, doorway: 'anyone' };
  });
  await app.register(swaggerUi, {
    routePrefix: '/docs/api',
    // The document is shown as a page of ours: without the viewer's own bar.
    theme: {
      title: 'API · Gather Lane',
      css: [{ filename: 'page.css', content: '.swagger-ui .topbar { display: none }' }],
    },
    uiConfig: { docExpansion: 'list', defaultModelsExpandDepth: 0 },
    transformSpecification: () => describe(),
  });
  if (!consoleFolder) return;
  await app.register(fastifyStatic, {
    root: consoleFolder,
    wildcard: false,
    maxAge: '1h',
    immutable: false,
    index: false,
  });
  // Every state of a page has an address: whatever is no file is the console itself, which reads it.
  for (const url of [
    '/',
    '/model',
    '/model/:table',
    '/model/:table/:key',
    '/ownership',
    '/weighting',
    '/mailbox',
    '/sign-in/:provider',
    '/reset-password',
    '/account',
    '/feed',
    '/notifications',
    '/calls',
    '/calls/:trace',
    '/activity',
    '/walks',
    '/hashtags',
    '/hashtags/:hashtag',
    '/posts/:post',
    '/posts/:post/comments/:comment',
    '/users/:user',
    '/users/:user/:tab',
  ])
    app.get(url, { schema: { hide: true } }, (_request, reply) => reply.sendFile('index.html', { maxAge: 0 }));
}
