export { readDuration, sayDuration } from './duration.js';
export { sayAgo, sayDay, sayInstant } from './instant.js';
