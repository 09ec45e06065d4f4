import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import type { Config } from '../ground/config/schema.js';
import { openApiDocument } from '../service/http/openapi.js';
import { Documented, type Operations } from './documented.js';

/** The paths of the document by the configuration that it depends on: a suite starts many services that are alike. */
const documents = new Map<string, Operations>();

function pathsOf(app: FastifyInstance, config: Config): Operations {
  const alike = JSON.stringify({ ...config, data: '' });
  const paths = documents.get(alike) ?? (openApiDocument(app, config, '').paths as Operations);
  documents.set(alike, paths);
  return paths;
}

/** Looks at every reply of an application; `faults` gathers what is wrong. To be called before it listens. */
export function watchReplies(app: FastifyInstance, config: Config): { faults: string[] } {
  const faults: string[] = [];
  const documented = new Documented(() => pathsOf(app, config));
  app.addHook('onSend', async (request: FastifyRequest, reply: FastifyReply) => {
    const path = request.routeOptions.url?.replace(/:(\w+)/g, '{$1}');
    if (path === undefined) return;
    const fault = documented.faultOf(request.method, path, reply.statusCode, Object.keys(reply.getHeaders()));
    if (fault) faults.push(fault);
  });
  return { faults };
}
