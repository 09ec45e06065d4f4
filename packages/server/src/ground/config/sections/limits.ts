import { Type } from 'typebox';
import { closed } from './closed.js';

/** How many calls are taken. */
export const Rates = Type.Object(
  {
    signUpsPerMinute: Type.Integer({ default: 20, minimum: 1, description: 'Sign-ups from one address.' }),
    signInsPerMinute: Type.Integer({ default: 60, minimum: 1, description: 'Sign-in attempts from one address.' }),
    callsPerMinute: Type.Integer({
      default: 1200,
      minimum: 1,
      description: 'Calls of one user, or of one address that is not signed in; those that are refused count too.',
    }),
    callsFromAddressPerMinute: Type.Integer({
      default: 12_000,
      minimum: 1,
      description:
        'Calls from one address, whoever makes them: for an app that calls on behalf of its users, make it more.',
    }),
  },
  closed,
);

/** How much of each thing is taken. */
export const Limits = Type.Object(
  {
    name: Type.Integer({ default: 60, minimum: 1, maximum: 4000, description: 'Characters of a name.' }),
    bio: Type.Integer({ default: 400, minimum: 0, maximum: 4000, description: 'Characters of a bio.' }),
    post: Type.Integer({ default: 600, minimum: 1, maximum: 4000, description: 'Characters of a post.' }),
    comment: Type.Integer({ default: 400, minimum: 1, maximum: 4000, description: 'Characters of a comment.' }),
    depth: Type.Integer({
      default: 4,
      minimum: 0,
      maximum: 20,
      description: 'How many comments a comment can stand under; what answers deeper is put beside what it answers.',
    }),
    follows: Type.Integer({ default: 10_000, minimum: 1, description: 'How many users one user may follow.' }),
  },
  closed,
);
