import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { readId } from '../../ground/http/doorway.js';
import { IdempotentCalls } from '../../ground/idempotency/service.js';
import { Blob, Upload } from './media.entity.js';
import { TRIALS } from './ownership.js';
import { Media } from './service.js';
import { MediaStore } from './store.js';

/** Pictures: whose they are, and their files. */
export const media: Capability = {
  name: 'media',
  entities: [Blob, Upload],
  tables: {
    blobs: { shown: ['id', 'width', 'height', 'widths', 'bytes', 'created_at'], exported: { key: ['id'] } },
    uploads: { shown: ['id', 'user_id', 'blob_id', 'created_at'], exported: { key: ['id'] } },
  },
  checks: [
    orphans('uploads', 'user_id', 'users'),
    orphans('uploads', 'blob_id', 'blobs'),
    orphans('users', 'picture_id', 'uploads'),
  ],
  trials: TRIALS,
  things: [
    {
      name: 'upload',
      make: `WITH made AS (INSERT INTO blobs (id, hash, width, height, widths, bytes, placeholder)
          VALUES (gen_random_uuid(), sha256(($1::uuid)::text::bytea), 1, 1, '{1}', 1, 'throw-away') RETURNING id)
        INSERT INTO uploads (id, user_id, blob_id) SELECT $1::uuid, $2::uuid, id FROM made`,
      snapshot: `SELECT jsonb_agg(to_jsonb(t) ORDER BY id) FROM uploads t WHERE user_id = $1`,
      leftOver: `DELETE FROM blobs b WHERE placeholder = 'throw-away' AND NOT EXISTS (SELECT FROM uploads u WHERE u.blob_id = b.id)`,
    },
  ],
  start(house) {
    const { database, background, address } = house;
    const all = house.add(new Media(database, background, house.get(MediaStore), address));
    return {
      owners: { upload: (reference) => all.owned(readId(reference, 'upload')) },
      routes: async (app) =>
        (await import('./routes.js')).mediaRoutes(app, { media: all, idempotent: house.get(IdempotentCalls) }),
      jobs: [{ does: 'remove pictures that nothing shows', ofEachProcess: true, run: () => all.sweep() }],
    };
  },
};
