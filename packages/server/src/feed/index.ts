export { Places } from './place.js';
export { AUTHORS, feedPage, type FeedPageRow } from './queries.js';
