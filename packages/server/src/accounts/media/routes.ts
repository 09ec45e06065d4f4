import multipart from '@fastify/multipart';
import fastifyStatic from '@fastify/static';
import type { FastifyRequest } from 'fastify';
import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { signedIn } from '../../ground/http/doorway.js';
import { Problem } from '../../ground/http/problem.js';
import { replies } from '../../ground/http/replies.js';
import { ref, Uuid } from '../../ground/http/schemas.js';
import { idempotencyHeaders, idempotentCallOf } from '../../ground/idempotency/header.js';
import type { Media } from './service.js';
import type { IdempotentCalls } from '../../ground/idempotency/service.js';
import { PictureSchema } from './picture.js';

/** What these are made of. */
interface Needs {
  readonly media: Media;
  readonly idempotent: IdempotentCalls;
}

const MOST_BYTES = 8 * 1024 * 1024;
const HOW = 'Send the picture as multipart/form-data, as a file in the field `file`: curl -F file=@boat.jpg …';
const YEAR_S = 31_536_000;

/** Routes of pictures. */
export function mediaRoutes(app: App, services: Needs): void {
  const { media } = services;
  app.addSchema(PictureSchema);
  // In a scope of its own: no other route takes multipart, and quietly loses what is in it.
  void app.register(async (scope) => {
    await scope.register(multipart, { limits: { fileSize: MOST_BYTES, files: 1, fields: 4, parts: 5 } });
    uploadRoute(scope, services);
  });
  void app.register(async (scope) => {
    await scope.register(fastifyStatic, { root: '/', serve: false });
    pictureFileRoute(scope, services);
  });

  app.get(
    '/v1/media/:upload',
    {
      config: { doorway: 'owner of upload' },
      schema: {
        operationId: 'getUpload',
        tags: ['pictures'],
        summary: 'One’s own uploaded picture',
        params: Type.Object({ upload: Uuid }),
        response: replies({ 200: ref(PictureSchema) }),
      },
    },
    (request) => media.view(request.params.upload),
  );

  app.delete(
    '/v1/media/:upload',
    {
      config: { lasting: 'it frees files', doorway: 'owner of upload' },
      schema: {
        operationId: 'deleteUpload',
        tags: ['pictures'],
        summary: 'Remove one’s own uploaded picture that nothing shows',
        params: Type.Object({ upload: Uuid }),
        response: replies({ 204: Type.Null() }, ['in-use']),
      },
    },
    async (request, reply) => {
      await media.delete(request.params.upload, signedIn(request).userId);
      return reply.code(204).send(null);
    },
  );
}

function uploadRoute(app: App, { media, idempotent }: Needs): void {
  app.post(
    '/v1/media',
    {
      config: { lasting: 'it stores files', doorway: 'signed-in' },
      // The body is a stream of parts, which the handler reads; the schema describes it for the API document.
      validatorCompiler: () => () => true,
      schema: {
        'operationId': 'uploadPicture',
        'x-headers': ['Location'],
        'tags': ['pictures'],
        'summary': 'Upload a picture: JPEG, PNG or WebP, up to 8 MB and 40 megapixels',
        'description':
          'It is turned upright, its metadata is left behind, and it is stored in widths of 320, 640 and 1280. One that no post and no profile shows is removed after a day.',
        'consumes': ['multipart/form-data'],
        'headers': idempotencyHeaders,
        'body': Type.Object({ file: Type.Unsafe<string>({ type: 'string', format: 'binary' }) }),
        'response': replies({ 201: ref(PictureSchema) }, [
          'bad-picture',
          'no-media-store',
          'other-content',
          'too-large',
          'wrong-media-type',
        ]),
      },
    },
    async (request, reply) => {
      const { userId } = signedIn(request);
      const bytes = await readFile(request);
      const picture = await idempotent.once(
        idempotentCallOf(request, bytes),
        (taking) => media.take(userId, bytes, taking),
        (id) => media.view(id),
      );
      return reply.code(201).header('location', picture.url).send(picture);
    },
  );
}

/** The one file of a request. @throws Problem `wrong-media-type` for anything that would be lost, saying how to send it */
async function readFile(request: FastifyRequest): Promise<Buffer> {
  if (!request.isMultipart()) throw new Problem('wrong-media-type', HOW);
  let bytes: Buffer | null = null;
  for await (const part of request.parts()) {
    if (part.type === 'file' && part.fieldname === 'file') bytes = await part.toBuffer();
    else if (part.type === 'file')
      throw new Problem('wrong-media-type', `The file came in the field "${part.fieldname}". ${HOW}`);
    else if (part.fieldname === 'file')
      throw new Problem('wrong-media-type', `The field \`file\` came as text, without a file name. ${HOW}`);
  }
  if (!bytes) throw new Problem('wrong-media-type', `No file came. ${HOW}`);
  return bytes;
}

/** The files themselves: their names never mean another picture, so they may be kept as long as anybody likes. */
function pictureFileRoute(app: App, { media }: Needs): void {
  app.get(
    '/media/:file',
    { config: { doorway: 'anyone' }, schema: { hide: true, params: Type.Object({ file: Type.String() }) } },
    async (request, reply) => {
      const found = await media.find(request.params.file);
      void reply.header('content-disposition', 'inline').header('cross-origin-resource-policy', 'cross-origin');
      if (!Buffer.isBuffer(found))
        return reply.sendFile(found.file, found.folder, { maxAge: YEAR_S * 1000, immutable: true });
      return reply.header('cache-control', `public, max-age=${YEAR_S}, immutable`).type('image/webp').send(found);
    },
  );
}
