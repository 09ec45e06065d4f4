import { Type } from 'typebox';
import { ConfigSchema } from '../../ground/config/schema.js';
import type { App } from '../../ground/http/app-type.js';
import { PROBLEMS, type ProblemCode } from '../../ground/http/problem-catalogue.js';
import { Problem } from '../../ground/http/problem.js';
import { inline, page } from '../../ground/http/html-page.js';

/** What the front page of the documentation lists. */
const INDEX = `
<p>Gather Lane serves users, posts, follows and comments from PostgreSQL, and following feeds that are ranked by recency and engagement.</p>
<h2>Where to look</h2>
<table>
<tr><td><a href="/docs/api">API</a></td><td>Every call with its parameters, its replies and who may make it</td></tr>
<tr><td><a href="/v1/openapi.json">openapi.json</a></td><td>The same as an OpenAPI 3.1 document, for tools</td></tr>
<tr><td><a href="/docs/config.schema.json">config.schema.json</a></td><td>JSON Schema of <code>gather-lane.yaml</code>, for editors</td></tr>
<tr><td><a href="/docs/walk.schema.json">walk.schema.json</a></td><td>JSON Schema of walk files, for editors</td></tr>
<tr><td><a href="/docs/problems">Problems</a></td><td>Every error with what to do about it</td></tr>
</table>
<h2>Signing in</h2>
<p>${inline('`POST /v1/sessions` with `{"login": …, "password": …}` answers an access token. Send it as `Authorization: Bearer …`. When it has expired, `POST /v1/sessions/refresh` exchanges the refresh token for new ones.')}</p>
<h2>Pages</h2>
<p>${inline('A list answers `{"items": […], "next": …}`. Pass `next` as `after` to read on; it is null on the last page. The following feed also answers `first`: pass it to `/v1/feeds/following/newer` to hear what has come since.')}</p>
<h2>Editing</h2>
<p>${inline('Send the `ETag` of what you read as `If-Match`. If somebody changed it in between, the answer is 412 and nothing is lost.')}</p>`;

/** The readable documentation: its front page, and a page for each kind of problem. */
export function docsRoutes(app: App): void {
  const html = { config: { doorway: 'anyone' as const }, schema: { hide: true } };
  app.get('/docs', html, (_request, reply) => reply.type('text/html').send(page('Documentation', INDEX)));

  app.get('/docs/config.schema.json', html, (_request, reply) =>
    reply.type('application/schema+json').send(JSON.stringify(ConfigSchema)),
  );

  app.get('/docs/walk.schema.json', html, async (_request, reply) => {
    const { WALK_SCHEMA } = await import('@gather-lane/core/proofs');
    return reply.type('application/schema+json').send(JSON.stringify(WALK_SCHEMA));
  });

  app.get('/docs/problems', html, (_request, reply) => {
    const rows = Object.entries(PROBLEMS).map(
      ([code, { status, title }]) =>
        `<tr><td>${status}</td><td><a href="/docs/problems/${code}">${code}</a></td><td>${inline(title)}</td></tr>`,
    );
    return reply.type('text/html').send(page('Problems', `<table>${rows.join('')}</table>`));
  });

  app.get(
    '/docs/problems/:code',
    { ...html, schema: { hide: true, params: Type.Object({ code: Type.String() }) } },
    (request, reply) => {
      if (!Object.hasOwn(PROBLEMS, request.params.code)) throw new Problem('not-found', 'There is no such problem.');
      const { status, title, whatHappened, whatToDo } = PROBLEMS[request.params.code as ProblemCode];
      const body = `<p class="quiet">Status ${status}, <code>${request.params.code}</code></p><h2>What happened</h2><p>${inline(whatHappened)}</p><h2>What to do</h2><p>${inline(whatToDo)}</p>`;
      return reply.type('text/html').send(page(title, body));
    },
  );
}
