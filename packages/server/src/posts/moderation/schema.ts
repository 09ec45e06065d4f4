import { Type } from 'typebox';
import { closed, Instant, orNull, Uuid, type Of } from '../../ground/http/schemas.js';

const By = Type.Union([Type.Literal('owner'), Type.Literal('moderator'), Type.Literal('withheld')], {
  description: 'Who took it out of sight: its owner, or a moderator for good or for the time being',
});
const Reason = Type.String({ 'minLength': 1, 'maxLength': 1000, 'x-storable': true, 'description': 'Why' });

/** A post or comment of one's own that is out of sight. */
export const RemovedSchema = Type.Object(
  {
    kind: Type.Union([Type.Literal('post'), Type.Literal('comment')]),
    id: Uuid,
    postId: Uuid,
    body: Type.String(),
    by: By,
    removedAt: Instant,
    reason: orNull(Type.String({ description: 'Why a moderator took it out of sight' })),
    can: Type.Object({ restore: Type.Boolean() }),
  },
  { $id: 'Removed' },
);
/** What of one's own is out of sight. */
export type RemovedView = Of<typeof RemovedSchema>;

/** What a moderator did. */
export const ModerationSchema = Type.Object(
  {
    id: Uuid,
    action: Type.Union([Type.Literal('delete'), Type.Literal('withhold'), Type.Literal('restore')]),
    reason: Type.String(),
    createdAt: Instant,
    moderator: orNull(Type.String({ description: 'Handle of who did it' })),
    author: orNull(Type.String({ description: 'Handle of who wrote it' })),
    postId: Uuid,
    commentId: orNull(Uuid),
    body: Type.String(),
    now: orNull(By),
  },
  { $id: 'Moderation' },
);
/** What a moderator did, as it is shown. */
export type ModerationView = Of<typeof ModerationSchema>;

/** Why a moderator withholds something. */
export const withholdBody = closed({ reason: Reason });
/** Why something is brought back; an owner need not say. */
export const restoreBody = closed({ reason: Type.Optional(Reason) });
/** Why a moderator deletes something of somebody else's; an owner need not say. */
export const deleteQuery = closed({ reason: Type.Optional(Reason) });
