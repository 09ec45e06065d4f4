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
export { shellWord } from '../text/shell-word.js';
export { type Difference } from '../walks/meet.js';
export { recordWalk, type MadeCall } from '../walks/record-walk.js';
export { runWalk, type CameBack, type SentCall, type StepOutcome, type WalkRunner } from '../walks/run-walk.js';
export { type Json, type Walk } from '../walks/walk.js';
