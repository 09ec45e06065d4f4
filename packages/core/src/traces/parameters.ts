const UUID = /^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

/** The kind of a value that is sent along with a statement: all that is kept of it. */
export function parameterKind(value: unknown): string {
  if (value === null || value === undefined) return 'null';
  if (value instanceof Date) return 'instant';
  if (Array.isArray(value)) return `list of ${value.length}`;
  if (typeof value === 'string') return UUID.test(value) ? 'uuid' : 'text';
  if (typeof value === 'object') return value instanceof Uint8Array ? 'bytes' : 'JSON';
  return typeof value;
}

/** A path of nothing but what may be kept, as most are: known so at a glance. */
const PLAIN = /^(?:\/(?:v\d|[a-z_]{1,24}|\d{1,10}|@\w{1,32}|[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}))+$/;

/** What of a path may be kept: ids, handles, and words of a route; all else might be a secret. */
export function maskedPath(path: string, route: string): string {
  if (PLAIN.test(path)) return path;
  const template = route.split('/');
  const [steps = '', query] = path.split('?');
  const shown = steps.split('/').map((step, i) => (template[i] === step ? step : maskedStep(step)));
  if (query === undefined || query === '') return shown.join('/');
  const pairs = query.split('&').map((pair) => {
    const [name = '', value = ''] = pair.split('=');
    return `${maskedName(name)}=${maskedValue(value)}`;
  });
  return `${shown.join('/')}?${pairs.join('&')}`;
}

const MASK = '•';
const maskedStep = (step: string): string =>
  UUID.test(step) || /^(?:@|%40)\w{1,32}$/.test(step) || /^(?:[a-z_]{1,24}|v\d)$/.test(step) || /^\d{1,10}$/.test(step)
    ? step
    : MASK;
const maskedName = (name: string): string => (/^[A-Za-z]{1,24}$/.test(name) ? name : MASK);
const maskedValue = (value: string): string =>
  UUID.test(value) || /^(?:@|%40)\w{1,32}$/.test(value) || /^(?:[a-z]{1,16}|\d{1,6})$/.test(value) ? value : MASK;
