export {
  COMMENT_KIND,
  FIRST_WEIGHTING,
  isUntouched,
  laneTime,
  netOf,
  peopleOf,
  pull,
  type People,
  type PostCounts,
  type ReactionCounts,
  type Weighting,
  type WeightingInForce,
} from './feed/lane-time.js';
export { explainPlace, sayToPass, toPass, type Source } from './feed/place.js';
export {
  cursorKeyTag,
  readFeedCursor,
  readListCursor,
  readNotificationCursor,
  readSeenMark,
  writeFeedCursor,
  writeListCursor,
  writeNotificationCursor,
  writeSeenMark,
  type CursorKey,
  type FeedCursor,
  type ListCursor,
  type NotificationCursor,
  type Position,
  type SeenMark,
} from './feed/cursor.js';
export {
  laterPlace,
  mayReadAt,
  NOTHING_SEEN,
  readLogPlace,
  UNKNOWN_PLACE,
  type StandbyState,
} from './standbys/standby.js';
export { bucketOf, BUCKETS, inBucketOf } from './buckets/bucket.js';
export {
  ACTS,
  capacityFor,
  readCount,
  type Act,
  type ActCost,
  type Capacity,
  type Demand,
  type Machine,
} from './capacity/capacity.js';
export {
  firstStep,
  hintAfter,
  isExhaustive,
  likelyWay,
  SWEEP_ENTRIES,
  wayAfter,
  type FindHint,
  type FindStep,
  type FindWay,
  type FoundPage,
} from './feed/find-way.js';
export { newerStep, type NewerStep, type NewerWay } from './feed/newer-way.js';
export {
  isSieveDue,
  makeSieve,
  sieveAfter,
  sieveOf,
  withSieve,
  type Sieve,
  type SieveHint,
  type WalkedPage,
} from './feed/sieve.js';
export { allSteps, readPlan, type ExplainNode, type PlanStep } from './feed/plan.js';
export {
  comparePages,
  greatestLift,
  meanChange,
  placeAll,
  type Candidate,
  type PageChange,
  type Placed,
} from './feed/comparison.js';
export { reachOf, type Reach } from './feed/reach.js';
export {
  NOTIFICATION_KINDS,
  toldOfComment,
  toldOfMentions,
  type NotificationKind,
  type Telling,
} from './notifications/told.js';
export { readEventPosition, writeEventPosition, type EventPosition } from './notifications/event-position.js';
export { DRAW_DAYS, drawOf, tierOf, toDraw, type Draw, type DrawTier } from './draw/draw.js';
export { Combiner, type CombinerOptions } from './combine/combiner.js';
export { foldHashtag, foldHashtagPrefix, hashtagNamed, LONGEST_HASHTAG } from './reading/hashtag.js';
export { hashtagPlan, type HashtagPlan } from './reading/hashtag-plan.js';
export { DEEPEST, placeUnder, type ThreadPlace } from './reading/thread-place.js';
export { livelyTime } from './reading/lively.js';
export { MOST_OF_A_KIND, readText, type Found } from './reading/read-text.js';
export {
  handlesIn,
  isStoredSpan,
  mentionedIn,
  readingVersion,
  readSpans,
  storeSpans,
  type Span,
  type StoredSpan,
} from './reading/spans.js';
export { inShellQuotes, shellWord } from './text/shell-word.js';
export { normalAddress } from './text/address.js';
export { firstCharacters, textFault } from './text/characters.js';
export { lineFault, toLine } from './text/line.js';
export { didYouMean, nearestName } from './text/nearest.js';
export { foldHandle, handleFault, handleFrom } from './text/handle.js';
export {
  canOf,
  decide,
  decideCaller,
  decideRestore,
  isDoorwayRule,
  isOwner,
  ownedKind,
  RESTORABLE_DAYS,
  type Caller,
  type DoorwayRule,
  type Owned,
  type Refusal,
  type Removal,
  type RestoreRefusal,
} from './doorway/doorway.js';
export { DEMO_MAIN_USERS, DEMO_PASSWORD } from './demo/people.js';
export { Fill, FILL_INSTANTS, type Batch, type Authors, type FillRequest, type TableRows } from './fill/fill.js';
export { Chance } from './fill/chance.js';
export {
  columnOf,
  columnRule,
  fieldNameOf,
  fieldsOf,
  heldAs,
  MODEL_TABLES,
  pathOf,
  type Field,
  type FieldRule,
  type FieldValue,
  type OwnFields,
  type ModelTableName,
  type FieldKind,
  type Held,
} from './model/field.js';
export { characterFault, fieldSchema, linearPatterns, valueFault } from './model/value.js';
export { mustBeGiven, visibleFields, writableFields, type FieldValues, type WriteMoment } from './model/visible.js';
export { CannotMake, makeValue, type Making } from './model/makers.js';
export { readModel, type FieldSource, type ModelSource } from './model/read.js';
export {
  tolerates,
  knownModel,
  changesBetween,
  covers,
  describeField,
  isNeededFirst,
  type KnownField,
  type Change,
  type PresentField,
  type ChangeKind,
} from './model/changes.js';
export {
  answerFault,
  answerTo,
  COPIABLE,
  hazardsOf,
  NO_FACTS,
  PLACEHOLDER,
  unanswered,
  type Answer,
  type Answers,
  type Facts,
  type Hazard,
  type HazardKind,
  type Way,
} from './model/hazards.js';
export { inspectPicture, type PictureFault } from './pictures/container.js';
export { expected, faultOf, ROLES, type Expectation, type Role } from './ownership/expect.js';
export { decideRefresh, type RefreshState } from './sessions/refresh.js';
export {
  nameForeignKeys,
  rowsChanged,
  type ForeignKey,
  type RowAct,
  type RowChange,
  type RowCounts,
  type RowValues,
  type StatementTrace,
  type Trace,
  type TraceCaller,
  type TraceWarning,
} from './traces/trace.js';
export { planFacts, type PlanFacts, type PlanNode } from './traces/plan-facts.js';
export { warningsOf } from './traces/warnings.js';
export { maskedPath, parameterKind } from './traces/parameters.js';
export { readTraceparent, writeTraceparent, type TraceContext } from './traces/context.js';
export {
  bodySchema,
  findOperation,
  followed,
  operationsOf,
  replySchema,
  type ApiContent,
  type ApiDocument,
  type ApiOperation,
  type ApiParameter,
  type ApiSchema,
  type FoundOperation,
} from './api/operations.js';
export { requestAjv } from './checking/request-ajv.js';
export { faultsOf, sayFaults, type RequestPart, type ValueFault } from './checking/value-faults.js';
export { callFigures, type CallFigures, type EndedCall } from './traces/activity.js';
