import { deniedAttempts } from '../accounts/denied-attempts/capability.js';
import { identities } from '../accounts/identities/capability.js';
import { mail } from '../accounts/mail/capability.js';
import { media } from '../accounts/media/capability.js';
import { operatorSessions } from '../accounts/operator/capability.js';
import { passwordResets } from '../accounts/password-resets/capability.js';
import { sessions } from '../accounts/sessions/capability.js';
import { users } from '../accounts/users/capability.js';
import { deletion } from '../accounts/users/deletion/capability.js';
import { feed } from '../feed/capability.js';
import { draw } from '../live/draw/capability.js';
import { streams } from '../live/streams/capability.js';
import { blocks } from '../graph/blocks/capability.js';
import { follows } from '../graph/follows/capability.js';
import type { Capability } from '../ground/capability/capability.js';
import { planOf } from '../ground/capability/plan.js';
import { idempotency } from '../ground/idempotency/capability.js';
import { jobs } from '../ground/jobs/capability.js';
import { keys } from '../ground/keys/capability.js';
import { keptLog } from '../ground/kept-log/capability.js';
import { metrics } from '../ground/metrics/capability.js';
import { standbys } from '../ground/standbys/capability.js';
import { rates } from '../ground/rates/capability.js';
import { events } from '../notifications/events/capability.js';
import { notifications } from '../notifications/list/capability.js';
import { telling } from '../notifications/telling/capability.js';
import { atom } from '../posts/atom/capability.js';
import { comments } from '../posts/comments/capability.js';
import { hashtags } from '../posts/hashtags/capability.js';
import { moderation } from '../posts/moderation/capability.js';
import { posts } from '../posts/posts/capability.js';
import { reading } from '../posts/reading/capability.js';
import { reactions } from '../posts/reactions/capability.js';
import { watches } from '../posts/watches/capability.js';
import { tallies } from '../ranking/tallies/capability.js';
import { weighting } from '../ranking/weighting/capability.js';
import { about } from '../workbench/about/capability.js';
import { calls } from '../workbench/calls/capability.js';
import { docs } from '../workbench/docs/capability.js';
import { fills } from '../workbench/fill/capability.js';
import { model } from '../workbench/model/capability.js';
import { operator } from '../workbench/operator/capability.js';
import { ownership } from '../workbench/ownership/capability.js';
import { traces } from '../workbench/traces/capability.js';
import { weightings } from '../workbench/weighting/capability.js';

/** All capabilities, each after those that it is made with. Their routes stand in the API document in this order. */
export const CAPABILITIES: readonly Capability[] = [
  about,
  keys,
  metrics,
  rates,
  keptLog,
  standbys,
  jobs,
  idempotency,
  tallies,
  weighting,
  users,
  deniedAttempts,
  sessions,
  operatorSessions,
  deletion,
  identities,
  media,
  mail,
  passwordResets,
  events,
  telling,
  notifications,
  reading,
  posts,
  hashtags,
  atom,
  watches,
  comments,
  reactions,
  moderation,
  follows,
  blocks,
  feed,
  streams,
  draw,
  operator,
  weightings,
  ownership,
  model,
  fills,
  traces,
  calls,
  docs,
];

/** What they say together. */
export const PLAN = planOf(CAPABILITIES);
