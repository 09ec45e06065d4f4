/** The trace context of W3C that a call came with. */
export interface TraceContext {
  /** 16 bytes, in hexadecimal. */
  readonly traceId: string;
  /** The span of who called: 8 bytes, in hexadecimal. */
  readonly parentId: string;
  readonly flags: string;
}

const TRACEPARENT = /^([0-9a-f]{2})-([0-9a-f]{32})-([0-9a-f]{16})-([0-9a-f]{2})(-.*)?$/;

/**
 * Reads the header `traceparent` (W3C Trace Context, section 3.2).
 * @returns null for one that is not there or not valid: a new trace begins then
 */
export function readTraceparent(header: string | undefined): TraceContext | null {
  const parts = TRACEPARENT.exec(header ?? '');
  if (!parts) return null;
  const [, version, traceId, parentId, flags, more] = parts;
  // Version ff is forbidden, and 00 has no more than four parts; later ones may.
  if (version === 'ff' || (version === '00' && more !== undefined)) return null;
  if (/^0+$/.test(traceId!) || /^0+$/.test(parentId!)) return null;
  return { traceId: traceId!, parentId: parentId!, flags: flags! };
}

/** Writes the header for a call that goes on from here. */
export const writeTraceparent = (traceId: string, spanId: string): string => `00-${traceId}-${spanId}-01`;
