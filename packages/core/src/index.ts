export * from './feed/lane-time.js';
export * from './feed/place.js';
export * from './feed/cursor.js';
export * from './text/characters.js';
export * from './text/handle.js';
export * from './doorway/doorway.js';
export * from './demo/demo.js';
export { DEMO_PASSWORD, DEMO_MAIN_USERS } from './demo/people.js';
export * from './fill/fill.js';
