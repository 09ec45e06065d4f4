import type { Options, SingleBar } from 'cli-progress';

/** A bar on standard error in the command's look. Loaded when one is wanted: most commands show none. */
export async function progressBar(format: string, more: Options = {}): Promise<SingleBar> {
  const { default: progress } = await import('cli-progress');
  const look = { barCompleteChar: '━', barIncompleteChar: '─', hideCursor: true, stream: process.stderr };
  return new progress.SingleBar({ format, ...look, ...more });
}
