import { Accounts1764000000001 } from './migrations/1764000000001-accounts.js';
import { Posts1764000000002 } from './migrations/1764000000002-posts.js';
import { Standings1764000000003 } from './migrations/1764000000003-standings.js';
import { Tallies1764000000004 } from './migrations/1764000000004-tallies.js';
import { FillRuns1764000000005 } from './migrations/1764000000005-fill-runs.js';
import { ModelMigrations1764000000006 } from './migrations/1764000000006-model-migrations.js';
import { People1764000000007 } from './migrations/1764000000007-people.js';
import { SignIn1764000000008 } from './migrations/1764000000008-sign-in.js';
import { Media1764000000009 } from './migrations/1764000000009-media.js';
import { ThrowAwayUsers1764000000010 } from './migrations/1764000000010-throw-away-users.js';
import { Reactions1764000000011 } from './migrations/1764000000011-reactions.js';
import { Weightings1764000000012 } from './migrations/1764000000012-weightings.js';
import { LargeStatements1764000000013 } from './migrations/1764000000013-large-statements.js';
import { NoJit1764000000014 } from './migrations/1764000000014-no-jit.js';
import { Keys1764000000015 } from './migrations/1764000000015-keys.js';
import { PictureLinks1764000000016 } from './migrations/1764000000016-picture-links.js';
import { Conversation1764000000017 } from './migrations/1764000000017-conversation.js';
import { Notifications1764000000018 } from './migrations/1764000000018-notifications.js';
import { Traces1764000000019 } from './migrations/1764000000019-traces.js';
import { ManyAtOnce1764000000020 } from './migrations/1764000000020-many-at-once.js';
import { ManyProcesses1764000000021 } from './migrations/1764000000021-many-processes.js';
import { OnePlan1764000000022 } from './migrations/1764000000022-one-plan.js';
import { LighterTraces1764000000023 } from './migrations/1764000000023-lighter-traces.js';
import { FewerTraceExpressions1764000000024 } from './migrations/1764000000024-fewer-trace-expressions.js';
import { PicturesBeside1764000000025 } from './migrations/1764000000025-pictures-beside.js';
import { TwoStepCounts1764000000026 } from './migrations/1764000000026-two-step-counts.js';

/** The product's migrations, oldest first. */
export const MIGRATIONS = [
  Accounts1764000000001,
  Posts1764000000002,
  Standings1764000000003,
  Tallies1764000000004,
  FillRuns1764000000005,
  ModelMigrations1764000000006,
  People1764000000007,
  SignIn1764000000008,
  Media1764000000009,
  ThrowAwayUsers1764000000010,
  Reactions1764000000011,
  Weightings1764000000012,
  LargeStatements1764000000013,
  NoJit1764000000014,
  Keys1764000000015,
  PictureLinks1764000000016,
  Conversation1764000000017,
  Notifications1764000000018,
  Traces1764000000019,
  ManyAtOnce1764000000020,
  ManyProcesses1764000000021,
  OnePlan1764000000022,
  LighterTraces1764000000023,
  FewerTraceExpressions1764000000024,
  PicturesBeside1764000000025,
  TwoStepCounts1764000000026,
];
