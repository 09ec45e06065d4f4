import type { OwnFields } from '@gather-lane/core';
import { Type } from 'typebox';
import { closed, Instant, kept, orNull, personText, ref, Uuid, type Of } from '../../ground/http/schemas.js';
import { fieldsBody, fieldsReply } from '../../ground/fields/field-schemas.js';
import { PictureSchema } from '../../accounts/media/picture.js';
import { SpanSchema } from '../reading/schema.js';
import { Net, OwnReaction, ReactionTallies } from '../reactions/schema.js';
import { AuthorSchema } from '../../accounts/users/schema.js';

/** What the caller may do with something; the console shows nothing that this does not allow. */
export const CanSchema = Type.Object(
  { edit: Type.Boolean(), delete: Type.Boolean(), withhold: Type.Boolean() },
  { description: 'What the caller may do with it' },
);

/** A post as it is shown. */
export const PostSchema = Type.Object(
  {
    id: Uuid,
    author: ref(AuthorSchema),
    body: Type.String({ description: 'Empty for a post of pictures only' }),
    spans: Type.Array(ref(SpanSchema), { description: 'What of the text is more than text, in its order' }),
    media: Type.Array(ref(PictureSchema)),
    createdAt: Instant,
    editedAt: orNull(Instant),
    version: Type.Integer({ description: 'Counts the edits; the `ETag`' }),
    tallies: Type.Object({ comments: Type.Integer(), reactions: ReactionTallies, net: Net }),
    reaction: OwnReaction,
    watching: Type.Boolean({ description: 'Whether the caller is told of new comments on it' }),
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

/** What a post said before an edit. */
export const VersionSchema = Type.Object(
  {
    version: Type.Integer(),
    body: Type.String(),
    media: Type.Array(Type.Object({ id: Uuid, alt: Type.String() })),
    createdAt: Type.String({ format: 'date-time', description: 'Since when it said so' }),
    fields: fieldsReply('posts'),
  },
  { $id: 'PostVersion' },
);
/** What a post said before an edit. */
export type VersionView = Of<typeof VersionSchema>;

const MOST_PICTURES = 6;
const media = Type.Array(
  closed({
    id: Type.String({ format: 'uuid', description: 'A picture that the author uploaded with `POST /v1/media`' }),
    alt: Type.Optional(
      Type.String({ 'maxLength': 1000, 'x-line': true, 'description': 'What it shows, for who does not see it' }),
    ),
  }),
  { maxItems: MOST_PICTURES, description: 'Pictures, in the order in which they are shown' },
);

const KEPT = kept(PostSchema, { body: true, media: true, fields: true });

/** What a post is made of. */
export const postBody = (model: OwnFields) =>
  closed(
    {
      body: Type.Optional(personText('post', 'What is posted; may be left out where there are pictures')),
      media: Type.Optional(media),
      ...fieldsBody(model, 'posts', 'creation'),
    },
    { 'x-kept': KEPT },
  );
/** What of a post can be edited. */
export const postPatch = (model: OwnFields) =>
  closed(
    {
      body: Type.Optional(orNull(personText('post', 'What is posted; null leaves the pictures only'))),
      media: Type.Optional(orNull(media)),
      ...fieldsBody(model, 'posts', 'edit'),
    },
    { 'minProperties': 1, 'description': 'A merge patch (RFC 7396)', 'x-kept': KEPT },
  );
/** A post as named in a path. */
export const postParam = Type.Object({ post: Uuid });
