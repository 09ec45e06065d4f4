export { Places } from './place.js';
export { AUTHORS } from './finding.js';
export { feedTop, type FeedTopRow } from './queries.js';
