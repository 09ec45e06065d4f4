export { CallChecker } from '../checking/call-checker.js';
export { checkWalk } from '../walks/check-walk.js';
export { unfitFor } from '../walks/fits.js';
export { readWalk, type ReadWalk, type WalkFault } from '../walks/read-walk.js';
export { WALK_SCHEMA } from '../walks/walk.js';
