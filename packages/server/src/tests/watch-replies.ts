import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Config } from '../ground/config/schema.js';
import { openApiDocument } from '../service/http/openapi.js';
import { Documented, type Operations } from './documented.js';

/** The paths of the document by the configuration that it depends on: a suite starts many services that are alike. */
const documents = new Map<string, Operations>();

function pathsOf(app: FastifyInstance, config: Config, ofAnySuite: boolean): Operations {
  const alike = JSON.stringify({ ...config, data: '' });
  const make = () => openApiDocument(app, config, '').paths as Operations;
  const paths = documents.get(alike) ?? (ofAnySuite ? onceForAll(alike, make) : make());
  documents.set(alike, paths);
  return paths;
}

/** Makes it for all suites of a run: it takes half a second. */
function onceForAll(alike: string, make: () => Operations): Operations {
  const file = join(
    process.env.GATHER_LANE_TEST_FOLDER!,
    `paths-${createHash('sha256').update(alike).digest('hex')}.json`,
  );
  if (existsSync(file)) return JSON.parse(readFileSync(file, 'utf8')) as Operations;
  const paths = make();
  const own = `${file}.${process.pid}`;
  writeFileSync(own, JSON.stringify(paths));
  renameSync(own, file);
  return paths;
}

/**
 * Looks at every reply of an application; `faults` gathers what is wrong. To be called before it listens.
 * @param asShipped whether its routes are the product's, no less and no others
 */
export function watchReplies(app: FastifyInstance, config: Config, asShipped: boolean): { faults: string[] } {
  const faults: string[] = [];
  const documented = new Documented(() => pathsOf(app, config, asShipped));
  app.addHook('onSend', async (request: FastifyRequest, reply: FastifyReply) => {
    const path = request.routeOptions.url?.replace(/:(\w+)/g, '{$1}');
    if (path === undefined) return;
    const fault = documented.faultOf(request.method, path, reply.statusCode, Object.keys(reply.getHeaders()));
    if (fault) faults.push(fault);
  });
  return { faults };
}
