import type { FastifyRequest } from 'fastify';

/** The header by which the service knows its own ownership check. */
export const PASS_HEADER = 'gather-lane-check';

/** Whether a call is of the service's own check: no limit counts it, and it comes by the address of the machine. */
export const isOwnCheck = (request: FastifyRequest, pass: string): boolean => request.headers[PASS_HEADER] === pass;
