import type { Config } from '../config/schema.js';

/** Whether a service writes down what calls do: where the configuration says so, else in the demo alone. */
export const tracesCalls = ({ traces }: Config, demo: boolean): boolean => traces.on ?? demo;
