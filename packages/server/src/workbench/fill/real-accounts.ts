import type { DataSource } from 'typeorm';

/** The database holds accounts that people signed up for; the message says how many. */
export class RealAccounts extends Error {
  override readonly name = 'RealAccounts';
}

/** @throws RealAccounts when anybody is there who was not made up by the demo or by a fill */
export async function refuseRealAccounts(dataSource: DataSource): Promise<void> {
  const [{ real }] = await dataSource.query<[{ real: number }]>(
    `SELECT count(*)::integer AS real FROM credentials WHERE NOT demo`,
  );
  if (real > 0)
    throw new RealAccounts(
      `The database holds ${real} account${real === 1 ? '' : 's'} that nobody made up. If that is what you want, say so with --among-real.`,
    );
}
