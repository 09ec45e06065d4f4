/** A failure that the user is told about, with what to do; exit code 1 unless it is a usage error (2). */
export class Failure extends Error {
  override readonly name = 'Failure';

  constructor(
    message: string,
    readonly exitCode: 1 | 2 = 1,
  ) {
    super(message);
  }
}
