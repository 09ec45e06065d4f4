import type { OwnFields } from '@gather-lane/core';
import { Type } from 'typebox';
import { closed, Instant, kept, orNull, personText, ref, Uuid, type Of } from '../../ground/http/schemas.js';
import { fieldsBody, fieldsReply } from '../../ground/fields/field-schemas.js';
import { CanSchema } from '../posts/schema.js';
import { Net, OwnReaction, ReactionTallies } from '../reactions/schema.js';
import { AuthorSchema } from '../../accounts/users/schema.js';

/** A comment as it is shown. */
export const CommentSchema = Type.Object(
  {
    id: Uuid,
    postId: Uuid,
    parentId: orNull(Uuid),
    author: orNull(ref(AuthorSchema)),
    body: Type.String({
      description: 'Empty, without an author, where a comment with answers stood whose author’s account is gone',
    }),
    createdAt: Instant,
    editedAt: orNull(Instant),
    version: Type.Integer({ description: 'Counts the edits; the `ETag`' }),
    tallies: Type.Object({ reactions: ReactionTallies, net: Net }),
    reaction: OwnReaction,
    can: CanSchema,
    fields: fieldsReply('comments'),
  },
  { $id: 'Comment' },
);

/** A comment as the caller sees it. */
export type CommentView = Of<typeof CommentSchema>;

/** What a comment is made of. */
export const commentBody = (model: OwnFields) =>
  closed(
    {
      body: personText('comment', 'What is said'),
      parentId: Type.Optional(
        orNull(Type.String({ format: 'uuid', description: 'The comment of the same post that this one answers' })),
      ),
      ...fieldsBody(model, 'comments', 'creation'),
    },
    { 'x-kept': kept(CommentSchema, { body: true, parentId: true, fields: true }) },
  );
/** What of a comment can be edited. */
export const commentPatch = (model: OwnFields) =>
  closed(
    { body: Type.Optional(personText('comment', 'What is said')), ...fieldsBody(model, 'comments', 'edit') },
    {
      'minProperties': 1,
      'description': 'A merge patch (RFC 7396)',
      'x-kept': kept(CommentSchema, { body: true, fields: true }),
    },
  );
/** A comment as named in a path. */
export const commentParam = Type.Object({ comment: Uuid });
