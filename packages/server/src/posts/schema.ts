import type { Model } from '@gather-lane/core';
import { Type } from 'typebox';
import { closed, Instant, orNull, personText, ref, Uuid, type Of } from '../http/schemas.js';
import { fieldsBody, fieldsReply } from '../model/field-schemas.js';
import { AuthorSchema } from '../users/schema.js';

/** What the caller may do with something; the console shows nothing that this does not allow. */
export const CanSchema = Type.Object(
  { edit: Type.Boolean(), delete: Type.Boolean() },
  { description: 'What the caller may do with it' },
);

/** Counts of reactions by kind. */
export const ReactionTallies = Type.Record(Type.String(), Type.Integer());

/** A post as it is shown. */
export const PostSchema = Type.Object(
  {
    id: Uuid,
    author: ref(AuthorSchema),
    body: Type.String(),
    createdAt: Instant,
    editedAt: orNull(Instant),
    version: Type.Integer({ description: 'Counts the edits; the `ETag`' }),
    tallies: Type.Object({ comments: Type.Integer(), reactions: ReactionTallies }),
    reaction: orNull(Type.String({ description: 'The caller’s own reaction' })),
    can: CanSchema,
    laneTime: Type.String({
      format: 'date-time',
      description: 'The instant at which it stands in a score-ordered feed',
    }),
    url: Type.String({ format: 'uri' }),
    fields: fieldsReply('posts'),
  },
  { $id: 'Post' },
);

/** A post as the caller sees it. */
export type PostView = Of<typeof PostSchema>;

/** What a post is made of. */
export const postBody = (model: Model) =>
  closed({ body: personText('post', 'What is posted'), ...fieldsBody(model, 'posts', 'creation') });
/** What of a post can be edited. */
export const postPatch = (model: Model) =>
  closed(
    { body: Type.Optional(personText('post', 'What is posted')), ...fieldsBody(model, 'posts', 'edit') },
    { minProperties: 1, description: 'A merge patch (RFC 7396)' },
  );
/** A post as named in a path. */
export const postParam = Type.Object({ post: Uuid });
