import type { OwnFields } from '@gather-lane/core';
import { Type } from 'typebox';
import { closed, Instant, kept, orNull, personText, ref, Uuid, type Of } from '../../ground/http/schemas.js';
import { fieldsBody, fieldsReply } from '../../ground/fields/field-schemas.js';
import { CanSchema } from '../posts/schema.js';
import { SpanSchema } from '../reading/schema.js';
import { Net, OwnReaction, ReactionTallies } from '../reactions/schema.js';
import { AuthorSchema } from '../../accounts/users/schema.js';

const properties = {
  id: Uuid,
  postId: Uuid,
  parentId: orNull({ ...Uuid, description: 'The comment that it stands under; null at the top' }),
  depth: Type.Integer({ minimum: 0, description: 'How many comments it stands under' }),
  answers: orNull(
    Type.Object(
      { comment: orNull(Uuid), handle: orNull(Type.String()) },
      {
        description:
          'Whom it answers, where that is not the one that it stands under: the thread is as deep as it may be',
      },
    ),
  ),
  marker: orNull(
    Type.Union([Type.Literal('deleted'), Type.Literal('withheld'), Type.Literal('erased'), Type.Literal('hidden')], {
      description: 'Why it is shown without text and author, only because something below it shows',
    }),
  ),
  author: orNull(ref(AuthorSchema)),
  body: Type.String({ description: 'Empty for a marker' }),
  spans: Type.Array(ref(SpanSchema), { description: 'What of the text is more than text, in its order' }),
  createdAt: Instant,
  editedAt: orNull(Instant),
  version: Type.Integer({ description: 'Counts the edits; the `ETag`' }),
  tallies: Type.Object({
    replies: Type.Integer({ description: 'Comments in sight directly under it' }),
    below: Type.Integer({ description: 'Comments directly under it that show, markers among them' }),
    people: Type.Integer({ description: 'People other than its author who replied or reacted: how lively it is' }),
    reactions: ReactionTallies,
    net: Net,
  }),
  reaction: OwnReaction,
  can: CanSchema,
  fields: fieldsReply('comments'),
};

/** A comment as it is shown. */
export const CommentSchema = Type.Object(properties, { $id: 'Comment' });
/** A comment as the caller sees it. */
export type CommentView = Of<typeof CommentSchema>;

/** A comment with the first of its replies, where they are asked for. */
export const ThreadSchema = Type.Object(
  {
    ...properties,
    replies: Type.Optional(
      Type.Object(
        { items: Type.Array(ref(CommentSchema)), next: orNull(Type.String()) },
        { description: 'The first replies, oldest first; `next` reads on in `GET /v1/comments/{comment}/replies`' },
      ),
    ),
  },
  { $id: 'Thread' },
);
/** A comment with the first of its replies. */
export type ThreadView = Of<typeof ThreadSchema>;

/** A comment with what it stands under. */
export const CommentInContextSchema = Type.Object(
  {
    ...properties,
    ancestors: Type.Optional(
      Type.Array(ref(CommentSchema), { description: 'What it stands under, from the top down, with `context=true`' }),
    ),
  },
  { $id: 'CommentInContext' },
);
/** A comment with what it stands under. */
export type CommentInContext = Of<typeof CommentInContextSchema>;

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
