import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import pg from 'pg';
import { makeDatabase } from '../tests/test-database.js';
import { standFunction, STANDINGS_LOCK } from '../ranking/weighting/standings.js';

const SERVER = 'packages/server/src';
const MIGRATIONS = join(SERVER, 'service/migrations');

/** What each migration said when it landed: databases have run it so, and whoever changes it changes nothing there. */
const FINGERPRINTS: Record<string, string> = {
  '1764000000001-accounts.ts': 'b07990927bf43ce3',
  '1764000000002-posts.ts': '9da36937a43daebf',
  '1764000000003-standings.ts': '397b1f82b5f1ecf5',
  '1764000000004-tallies.ts': 'c4b4b64b56fa77a6',
  '1764000000005-fill-runs.ts': 'e68d83dc97540798',
  '1764000000006-model-migrations.ts': 'e9cabf04c29699e4',
  '1764000000007-people.ts': '33397cf90449f6da',
  '1764000000008-sign-in.ts': '49abb87b8ad10185',
  '1764000000009-media.ts': 'ff027b3208c4bf86',
  '1764000000010-throw-away-users.ts': '54c6a139213ceba0',
  '1764000000011-reactions.ts': '766c5e029bfe56d5',
  '1764000000012-weightings.ts': 'cded151cc4933374',
  '1764000000013-large-statements.ts': '3b497cc8480e8ea7',
  '1764000000014-no-jit.ts': '68af017462d0b124',
  '1764000000015-keys.ts': 'c6ac5a00e8b343db',
  '1764000000016-picture-links.ts': 'b3692f2adf54e3da',
  '1764000000017-conversation.ts': '763ef3e7630d0913',
  '1764000000018-notifications.ts': 'd758277876b371b8',
  '1764000000019-traces.ts': 'f6dab2089fac0fd0',
  '1764000000020-many-at-once.ts': '46a4899a3bece48c',
  '1764000000021-many-processes.ts': 'aab391160d795b8b',
  '1764000000022-one-plan.ts': '770ca64b4b84860a',
  '1764000000023-lighter-traces.ts': 'f9430b6f95e660ae',
  '1764000000024-fewer-trace-expressions.ts': '5d35280486f31af2',
  '1764000000025-pictures-beside.ts': '8562e17915753fcd',
  '1764000000026-two-step-counts.ts': 'bc07b35d5543cd51',
};

test('a migration that has landed stays as it is, and takes nothing from code that changes', () => {
  const files = readdirSync(MIGRATIONS).sort();
  const texts = files.map((file) => [file, readFileSync(join(MIGRATIONS, file), 'utf8')] as const);
  const found = texts.map(([file, text]) => [file, createHash('sha256').update(text).digest('hex').slice(0, 16)]);
  expect(Object.fromEntries(found)).toEqual(FINGERPRINTS);
  for (const [file, text] of texts)
    for (const [, from] of text.matchAll(/^import .* from '([^']+)'/gm))
      expect([file, from]).toEqual([file, expect.stringMatching(/^(typeorm|\.\/\d+-[a-z-]+\.js)$/)]);
});

/** Functions and triggers as the database has them, without regard to how lines are broken. */
async function inForce(client: pg.Client): Promise<Record<string, string>> {
  const { rows } = await client.query<{ name: string; text: string }>(`
    SELECT p.proname AS name, pg_get_functiondef(p.oid) || coalesce(
      (SELECT string_agg(pg_get_triggerdef(t.oid), ';' ORDER BY t.tgname) FROM pg_trigger t WHERE t.tgfoid = p.oid), '') AS text
    FROM pg_proc p WHERE p.pronamespace = 'public'::regnamespace`);
  return Object.fromEntries(rows.map(({ name, text }) => [name, text.replace(/\s+/g, ' ')]));
}

test('the functions and triggers in force are those that stand beside their capabilities, each there once', async () => {
  const { address, drop } = await makeDatabase();
  const client = new pg.Client(address);
  await client.connect();
  const migrated = await inForce(client);
  const beside = readdirSync(SERVER, { recursive: true, encoding: 'utf8' }).filter((file) =>
    file.endsWith('functions.sql'),
  );
  const texts = [...beside.map((file) => readFileSync(join(SERVER, file), 'utf8')), standFunction(1)];
  const named = texts.flatMap((text) =>
    [...text.matchAll(/^CREATE OR REPLACE FUNCTION (\w+)/gm)].map(([, name]) => name!),
  );
  expect(named.sort()).toEqual(Object.keys(migrated).sort());
  // The lock that a change of weighting takes is the one that setting standings shares.
  expect(migrated.set_standings).toContain(STANDINGS_LOCK);
  for (const text of texts) await client.query(text);
  expect(await inForce(client)).toEqual(migrated);
  await client.end();
  await drop();
});
