// Apart from the rest of the core: only the demo needs its packages, which take a while to load.
export * from './demo.js';
export * from './landscapes.js';
