import { Type } from 'typebox';
import type { Capability } from '../../ground/capability/capability.js';
import { inTransaction } from '../../ground/database/transaction.js';

/** Some table with many rows, and routes that do what a reviewer would speak of; and one that does much, and one that fails. */
export const careless: Capability = {
  name: 'careless',
  tables: { barrels: { shown: ['id', 'n', 'crew_id'] }, crews: { shown: ['id'] } },
  start({ database }) {
    const config = { doorway: 'anyone' } as const;
    const schema = { response: { 200: Type.Unknown() }, operationId: '' };
    return {
      routes: async (app) => {
        const route = (path: string, work: (signal: AbortSignal) => Promise<unknown>) =>
          app.post(`/v1/careless/${path}`, { config, schema: { ...schema, operationId: path } }, async (request) => ({
            done: await work(new AbortController().signal).then(() => request.id),
          }));
        route('repeated', async () => {
          for (let n = 0; n < 6; n++) await database.query(`SELECT secret FROM barrels WHERE id = $1`, [n]);
        });
        route('scan', () => database.query(`SELECT id FROM barrels WHERE n = $1`, [7]));
        route('no-limit', () => database.query(`SELECT id FROM barrels ORDER BY id`));
        route('apart', async () => {
          await database.query(`INSERT INTO crews (id) VALUES (1000)`);
          await database.query(`INSERT INTO crews (id) VALUES (1001)`);
        });
        route('together', () =>
          inTransaction(database, async (manager) => {
            await manager.query(`INSERT INTO crews (id) VALUES (2000)`);
            await manager.query(`INSERT INTO crews (id) VALUES (2001)`);
          }),
        );
        route('many', () => database.query(`UPDATE barrels SET n = n + 1 WHERE id <= 10000`));
        route('cascade', () => database.query(`DELETE FROM crews WHERE id = 1`));
        route('brought', () => database.query(`INSERT INTO crews (id) VALUES (6000), (6001)`));
        route('brought-late', () =>
          inTransaction(database, (manager) => manager.query(`INSERT INTO crews (id) VALUES (7000), (7001)`)),
        );
        route('at-once', () =>
          database.query(
            `WITH gone AS (DELETE FROM barrels WHERE id = 11500), next AS (UPDATE barrels SET n = 0 WHERE id = 11501) INSERT INTO crews (id) VALUES (8000)`,
          ),
        );
        route('undone', () =>
          inTransaction(database, async (manager) => {
            await manager.query(`INSERT INTO crews (id) VALUES (3000)`);
            await manager.query(`INSERT INTO crews (id) VALUES (3000)`);
          }),
        );
        route('half-undone', () =>
          inTransaction(database, async (manager) => {
            await manager.query(`INSERT INTO crews (id) VALUES (4000)`);
            await manager.query(`SAVEPOINT half`);
            await manager.query(`INSERT INTO crews (id) VALUES (4001)`);
            await manager.query(`ROLLBACK TO SAVEPOINT half`);
          }),
        );
        route('slow', () => database.query(`SELECT pg_sleep(20)`));
        route('as-it-was', () => database.query(`UPDATE crews SET id = id WHERE id = 2`));
        route('masked', () => database.query(`UPDATE barrels SET secret = 'the new word' WHERE id = 20`));
      },
    };
  },
};
