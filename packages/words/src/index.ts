export { readDuration, sayDuration } from './duration.js';
export { sayAgo, sayDay, sayInstant } from './instant.js';
export { sayActors, sayActs, sayNotification, type SaidNotification } from './notification.js';
