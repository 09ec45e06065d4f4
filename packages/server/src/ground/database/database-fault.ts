/** A database that cannot be used; the message says which part is wrong and how to mend it. */
export class DatabaseFault extends Error {
  override readonly name = 'DatabaseFault';

  constructor(
    readonly part: 'host' | 'role' | 'password' | 'database' | 'right' | 'version' | 'cluster' | 'schema',
    message: string,
    options?: ErrorOptions,
  ) {
    super(message, options);
  }
}
