/** A start that is refused; the message says why and what to do. */
export class StartRefused extends Error {
  override readonly name = 'StartRefused';
}
