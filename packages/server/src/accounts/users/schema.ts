import { Type } from 'typebox';
import type { OwnFields } from '@gather-lane/core';
import { fieldsBody, fieldsReply } from '../../ground/fields/field-schemas.js';
import { closed, Instant, kept, orNull, personText, Uuid, type Of } from '../../ground/http/schemas.js';
import { pageOf } from '../../ground/http/schemas.js';

/** How the caller and another user stand to each other. */
export const RelationSchema = Type.Object(
  { youFollow: Type.Boolean(), followsYou: Type.Boolean(), muted: Type.Boolean(), blocked: Type.Boolean() },
  { description: 'How the caller and this user stand to each other' },
);

/** The author of a post or a comment, as it names them. */
export const AuthorSchema = Type.Object(
  { id: Uuid, handle: Type.String(), name: Type.String(), picture: orNull(Type.String({ format: 'uri' })) },
  { $id: 'Author' },
);

const AudienceSchema = Type.Union([Type.Literal('everyone'), Type.Literal('signed-in')], {
  description: 'Who may see the profile and what the user posts; told to its owner alone',
});

/** A profile as it is shown. */
export const UserSchema = Type.Object(
  {
    id: Uuid,
    handle: Type.String(),
    name: Type.String(),
    bio: Type.String(),
    picture: orNull(Type.String({ format: 'uri' })),
    createdAt: Instant,
    version: Type.Integer({ description: 'Counts the edits; the `ETag`' }),
    tallies: Type.Object({ posts: Type.Integer(), followers: Type.Integer(), following: Type.Integer() }),
    draw: Type.Object(
      { value: Type.Number({ description: 'In doublings' }), tier: Type.String() },
      { description: 'What the posts of the last seven days drew, the latest most' },
    ),
    relation: orNull(RelationSchema),
    fields: fieldsReply('users'),
    moderator: Type.Boolean({ description: 'May delete, withhold and restore what others posted' }),
    audience: orNull(AudienceSchema),
    can: Type.Object({ edit: Type.Boolean() }),
    url: Type.String({ format: 'uri' }),
  },
  { $id: 'User' },
);

/** The caller’s own profile. */
export const MeSchema = Type.Object(
  {
    ...UserSchema.properties,
    email: orNull(Type.String({ description: 'Shown to its owner alone; null for who signs in elsewhere' })),
    session: orNull(Type.Object({ id: Uuid })),
  },
  { $id: 'Me' },
);

/** A profile as the caller sees it. */
export type UserView = Of<typeof UserSchema>;
/** An author’s card. */
export type AuthorView = Of<typeof AuthorSchema>;

const HANDLE = Type.String({
  maxLength: 25,
  description: '3 to 24 characters: a letter first, then letters, digits or underscores; case does not matter',
});

/** What somebody signs up with. */
export const signUpBody = (model: OwnFields) =>
  closed({
    name: personText('name', 'How the user is called'),
    email: Type.String({ format: 'email', maxLength: 254 }),
    password: Type.String({ minLength: 10, maxLength: 200 }),
    handle: Type.Optional(HANDLE),
    ...fieldsBody(model, 'users', 'creation'),
  });

/** What of a profile can be edited. */
export const userPatch = (model: OwnFields) =>
  closed(
    {
      name: Type.Optional(personText('name', 'How the user is called')),
      picture: Type.Optional(
        orNull(Type.String({ format: 'uuid', description: 'A picture that the user uploaded; null for none' })),
      ),
      handle: Type.Optional(HANDLE),
      audience: Type.Optional(AudienceSchema),
      bio: Type.Optional(orNull(personText('bio', 'What the user says of themselves; null clears it'))),
      ...fieldsBody(model, 'users', 'edit'),
    },
    {
      'minProperties': 1,
      'description': 'A merge patch (RFC 7396)',
      'x-kept': kept(UserSchema, { name: 1, picture: 1, handle: 1, audience: 1, bio: 1, fields: 1 }),
    },
  );

/** What proves that it is really the owner who deletes an account. */
export const deletionBody = closed(
  {
    password: Type.Optional(Type.String({ maxLength: 200, description: 'The password of the account' })),
    handle: Type.Optional(
      Type.String({ maxLength: 25, description: 'Its handle, where the account has no password: signed in elsewhere' }),
    ),
  },
  { minProperties: 1 },
);

/** A page of users. */
export const UserPage = pageOf(UserSchema, 'UserPage');
