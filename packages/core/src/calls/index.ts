export {
  bodySchema,
  findOperation,
  followed,
  operationsOf,
  replySchema,
  type ApiDocument,
  type ApiOperation,
  type ApiParameter,
  type ApiSchema,
  type FoundOperation,
} from '../api/operations.js';
export { CallChecker } from '../checking/call-checker.js';
export { sayFaults, type ValueFault } from '../checking/value-faults.js';
export { checkWalk } from '../walks/check-walk.js';
export { type Difference } from '../walks/meet.js';
export { readWalk, type ReadWalk, type WalkFault } from '../walks/read-walk.js';
export { recordWalk, type MadeCall } from '../walks/record-walk.js';
export { runWalk, type CameBack, type SentCall, type StepOutcome, type WalkRunner } from '../walks/run-walk.js';
export { WALK_SCHEMA, type Json, type Walk } from '../walks/walk.js';
