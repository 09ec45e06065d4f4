import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { readModel, type Answers, type FieldSource, type FieldValue, type OwnFields } from '@gather-lane/core';
import pg from 'pg';
import type { DataSource } from 'typeorm';
import { createDataSource } from '../../../service/data-source.js';
import { makeDatabase } from '../../../tests/test-database.js';
import { ModelMigration } from '../model-migration.entity.js';
import { presentFields } from './catalogue.js';
import { Heartbeat } from './live.js';
import { migrateBack, migrateModel, MigrationRefused, type MigrationOptions } from './migrate.js';
import { modelState, planMigration } from './plan.js';

const USERS = 12;

let dataSource: DataSource;
let client: pg.Client;
let drop: () => Promise<void>;

beforeEach(async () => {
  const database = await makeDatabase();
  dataSource = createDataSource(database.address, { poolSize: 6 });
  await dataSource.initialize();
  client = new pg.Client(database.address);
  await client.connect();
  drop = database.drop;
  await dataSource.query(
    `INSERT INTO users (id, handle, name, bio, created_at)
     SELECT gen_random_uuid(), 'crew_' || n, 'Crew ' || (n % 5), repeat('b', n), now() - n * interval '1 day' FROM generate_series(1, ${USERS}) n`,
  );
  await dataSource.query(`INSERT INTO posts (id, author_id, body) SELECT gen_random_uuid(), id, handle FROM users`);
});
afterEach(async () => {
  await client.end();
  await dataSource.destroy();
  await drop();
});

const model = (fields: Record<string, FieldSource>): OwnFields => {
  const read = readModel({ users: { fields } });
  expect(read.faults).toEqual([]);
  return read.model;
};
const migrate = (wanted: OwnFields, answers: Answers = {}, more: Partial<MigrationOptions> = {}) =>
  migrateModel(dataSource, wanted, { answers, drop: [], ...more });
const hazards = async (wanted: OwnFields, answers: Answers = {}) =>
  (await planMigration(dataSource, wanted, answers)).changes.flatMap(({ hazards: found, open }) =>
    found.filter((hazard) => open.includes(hazard)),
  );
const values = async (column: string): Promise<FieldValue[]> =>
  (await dataSource.query<{ v: FieldValue }[]>(`SELECT ${column} AS v FROM users ORDER BY created_at DESC`)).map(
    ({ v }) => v,
  );
const set = (column: string, sql: string) => dataSource.query(`UPDATE users SET ${column} = ${sql}`);
const isCurrent = async (wanted: OwnFields) =>
  expect((await planMigration(dataSource, wanted, {})).changes).toEqual([]);

describe('a required field on a table that has rows', () => {
  const wanted = model({ mooring: { type: 'string', maxLength: 30, required: true } });

  test('is refused as a whole until somebody says what the rows get', async () => {
    await expect(migrate(wanted)).rejects.toThrow(
      'users.mooring: 12 rows of 12 have no value, and there is no default. Choose: { constant: … }',
    );
    expect(await presentFields(dataSource)).toEqual([]);
    expect(await dataSource.manager.count(ModelMigration)).toBe(0);
  });

  test.each<[string, Answers[string], (made: FieldValue[]) => void]>([
    [
      'a constant',
      { 'rows-without-value': { constant: `Tidewick's` } },
      (made) => expect(new Set(made)).toEqual(new Set([`Tidewick's`])),
    ],
    ['another column', { 'rows-without-value': { column: 'handle' } }, (made) => expect(made[0]).toBe('crew_1')],
    [
      'made-up values',
      { 'rows-without-value': { make: 'place' } },
      (made) => expect(made.every((value) => /, /.test(String(value)))).toBe(true),
    ],
  ])('is filled with %s', async (_, answer, check) => {
    await migrate(wanted, { 'users.mooring': answer });
    await isCurrent(wanted);
    check(await values('f_mooring'));
    await expect(set('f_mooring', 'NULL')).rejects.toThrow('not-null');
  });

  test('gets unique handles made from names', async () => {
    const unique = model({ call: { type: 'string', maxLength: 20, required: true, unique: true } });
    await migrate(unique, { 'users.call': { 'rows-without-value': { make: 'handle' } } });
    const made = await values('f_call');
    expect(new Set(made).size).toBe(USERS);
    expect(made.filter((value) => /^crew_\d$/.test(String(value)))).toHaveLength(5);
    await isCurrent(unique);
  });

  test('with a default needs no answer, and is one step that rewrites nothing', async () => {
    const before = await fileOf('users');
    await migrate(model({ open: { type: 'boolean', required: true, default: true } }));
    expect(await values('f_open')).toEqual(Array(USERS).fill(true));
    expect(await fileOf('users')).toBe(before);
  });

  test.each<[string, Answers[string], string]>([
    [
      'a constant that breaks the rule',
      { 'rows-without-value': { constant: 'x'.repeat(31) } },
      'must NOT have more than 30 characters',
    ],
    [
      'a column that is not there',
      { 'rows-without-value': { column: 'surname' } },
      'there is no column surname to copy from',
    ],
    ['a maker that is not there', { 'rows-without-value': { make: 'harbour' } }, 'there is no maker "harbour"'],
  ])('refuses %s', async (_, answer, text) => {
    await expect(migrate(wanted, { 'users.mooring': answer })).rejects.toThrow(text);
    expect(await presentFields(dataSource)).toEqual([]);
  });
});

async function columnsLike(pattern: string): Promise<unknown[]> {
  return dataSource.query<unknown[]>(
    `SELECT attname FROM pg_attribute WHERE attrelid = 'users'::regclass AND attname LIKE $1 AND NOT attisdropped`,
    [pattern],
  );
}

/** The file that a table is in: another one after it was rewritten. */
async function fileOf(table: string): Promise<string> {
  const [row] = await dataSource.query<{ file: string }[]>(`SELECT pg_relation_filenode($1) AS file`, [table]);
  return String(row!.file);
}

describe('values that are in the way', () => {
  const plain = model({ call: { type: 'string' } });

  test('that repeat are counted and shown, and numbered or emptied, the oldest keeping its own', async () => {
    await migrate(plain);
    await set('f_call', `'berth ' || char_length(bio) % 4`);
    const unique = model({ call: { type: 'string', unique: true } });
    expect(await hazards(unique)).toMatchObject([
      { kind: 'values-repeat', rows: 8, examples: expect.arrayContaining(['berth 1']) },
    ]);
    await migrate(unique, { 'users.call': { 'values-repeat': 'number' } });
    const made = await values('f_call');
    expect(new Set(made).size).toBe(USERS);
    expect(made.slice(-4)).toEqual(['berth 1', 'berth 2', 'berth 3', 'berth 0']);
    expect(made).toContain('berth 1 2');
    await isCurrent(unique);

    await migrate(plain);
    await set('f_call', `'berth ' || char_length(bio) % 4`);
    await migrate(unique, { 'users.call': { 'values-repeat': 'keep-first' } });
    expect((await values('f_call')).filter((value) => value !== null)).toHaveLength(4);
  });

  test('that do not fit a stricter rule are cut, emptied or replaced', async () => {
    await migrate(plain);
    for (const [answer, expected] of [
      ['nearest', ['b'.repeat(11).slice(0, 5), 'b'.repeat(5)]],
      ['clear', [null, null]],
      [{ constant: 'long' }, ['long', 'long']],
    ] as const) {
      await migrate(plain);
      await set('f_call', 'bio');
      const short = model({ call: { type: 'string', maxLength: 5 } });
      expect(await hazards(short)).toMatchObject([{ kind: 'values-do-not-fit', rows: 7 }]);
      await migrate(short, { 'users.call': { 'values-do-not-fit': answer } });
      expect((await values('f_call')).slice(-2)).toEqual(expected);
      expect((await values('f_call'))[0]).toBe('b');
      await isCurrent(short);
    }
  });

  test('of another type are converted beside the work, and kept in step with what is written meanwhile', async () => {
    await migrate(plain);
    await set('f_call', `CASE WHEN char_length(bio) % 3 = 0 THEN 'none' ELSE char_length(bio)::text END`);
    const number = model({ call: { type: 'integer', maximum: 9, indexed: true } });
    expect(await hazards(number)).toMatchObject([
      { kind: 'values-do-not-fit', rows: 6, examples: ['10', '11', 'none'] },
    ]);
    await migrate(
      number,
      { 'users.call': { 'values-do-not-fit': 'clear' } },
      {
        progress: ({ does }) => {
          if (does.startsWith('put the new'))
            void client.query(`UPDATE users SET f_call = '7' WHERE handle = 'crew_12'`);
        },
      },
    );
    const made = (await values('f_call')).map((value) => (value === null ? null : Number(value)));
    expect(made.slice(0, 9)).toEqual([1, 2, null, 4, 5, null, 7, 8, null]);
    await isCurrent(number);
    await expect(set('f_call', '10')).rejects.toThrow('users_f_call_rule');
    expect(await dataSource.query(`SELECT tgname FROM pg_trigger WHERE tgname LIKE 'keep_%'`)).toEqual([]);
  });

  test('that an answer makes repeat stop the migration in plain words, and the next plan asks about them', async () => {
    await migrate(plain);
    await set('f_call', 'bio');
    const both = model({ call: { type: 'string', maxLength: 5, unique: true } });
    await expect(migrate(both, { 'users.call': { 'values-do-not-fit': 'nearest' } })).rejects.toThrow(
      /Rows stood in the way after all: could not create unique index.*\n.*gather-lane model changes/,
    );
    expect(await hazards(both)).toMatchObject([{ kind: 'values-repeat', rows: 7 }]);
    await migrate(both, { 'users.call': { 'values-repeat': 'keep-first' } });
    await isCurrent(both);
  });

  test('that name nobody are emptied before they become a reference', async () => {
    await migrate(plain);
    await set(
      'f_call',
      `CASE WHEN char_length(bio) < 3 THEN id::text WHEN char_length(bio) < 6 THEN gen_random_uuid()::text END`,
    );
    const reference = model({ call: { references: 'users' } });
    expect(await hazards(reference)).toMatchObject([{ kind: 'orphans', rows: 3 }]);
    await migrate(reference, { 'users.call': { orphans: 'clear' } });
    expect((await values('f_call')).filter((value) => value !== null)).toHaveLength(2);
    await isCurrent(reference);
  });

  test('are lost only when that is said, by name', async () => {
    await migrate(plain);
    await set('f_call', `'held'`);
    await expect(migrate([])).rejects.toThrow('12 rows would lose their values for good. Choose: --drop users.call');
    await expect(migrate([], {}, { drop: ['users.calls'] })).rejects.toThrow(MigrationRefused);
    await migrate([], {}, { drop: ['users.call'] });
    expect(await presentFields(dataSource)).toEqual([]);
  });
});

describe('names and values that are awkward', () => {
  test('words of SQL, quotes and emoji are data like any other', async () => {
    const odd = model({
      order: { type: 'string', enum: [`it's`, '🛶 "x"', 'a\\b', '$$'], default: `it's`, required: true },
      select: { type: 'number', minimum: -0.5 },
      user: { type: 'string', default: `Robert'); DROP TABLE users;--` },
    });
    await migrate(odd);
    await isCurrent(odd);
    expect((await values('f_order'))[0]).toBe(`it's`);
    expect((await values('f_user'))[0]).toBe(`Robert'); DROP TABLE users;--`);
    await set('f_order', `'🛶 "x"'`);
    await expect(set('f_order', `'x'`)).rejects.toThrow('users_f_order_rule');
    await expect(set('f_select', `'NaN'`)).rejects.toThrow('users_f_select_rule');
  });

  test('a type can change to an enum whose values look like the end of a function', async () => {
    await migrate(model({ depth: { type: 'integer' } }));
    await set('f_depth', 'char_length(bio) % 2');
    const texts = model({ depth: { type: 'string', enum: ['1', '$$', '$b1$', `'`] } });
    await migrate(texts, { 'users.depth': { 'values-do-not-fit': { constant: '$b1$' } } });
    expect((await values('f_depth')).slice(0, 2)).toEqual(['1', '$b1$']);
    await isCurrent(texts);
  });
});

describe('beside running services', () => {
  const older = model({ call: { type: 'string' } });
  const stricter = model({
    call: { type: 'string', maxLength: 40, required: true },
    extra: { type: 'integer', indexed: true },
  });
  const answers: Answers = { 'users.call': { 'rows-without-value': { constant: 'x' } } };

  test('it expands first, and contracts once no service of the older model lives', async () => {
    await migrate(older);
    const heartbeat = new Heartbeat(dataSource, older);
    await heartbeat.begin();
    const { waiting } = await migrate(stricter, answers);
    expect(waiting.map(({ change, services }) => [change, services.map(({ pid }) => pid)])).toEqual([
      ['Hold users.call to text of up to 40 characters instead of text of up to 4000 characters.', [process.pid]],
      ['Require users.call: no row without a value.', [process.pid]],
    ]);
    expect(await values('f_call')).toEqual(Array(USERS).fill('x'));
    expect(await modelState(dataSource, stricter)).toBe('workable');
    // The older service goes on as before: a row without a value, and a longer text.
    await dataSource.query(`INSERT INTO users (id, handle, name) VALUES (gen_random_uuid(), 'late', 'Late')`);
    await heartbeat.end();
    // Finished without being told the answers again; what came in meanwhile is filled too.
    expect((await migrate(stricter)).waiting).toEqual([]);
    expect((await values('f_call')).filter((value) => value === 'x')).toHaveLength(USERS + 1);
    await isCurrent(stricter);
    expect(await dataSource.manager.countBy(ModelMigration, { state: 'done' })).toBe(2);
  });

  test('two at once do not mix: one does it, the other is refused or finds nothing left', async () => {
    const results = await Promise.allSettled([1, 2, 3].map(() => migrate(stricter, answers)));
    expect(results.filter(({ status }) => status === 'fulfilled').length).toBeGreaterThan(0);
    for (const result of results)
      if (result.status === 'rejected')
        expect(String(result.reason)).toContain('Another migration of the model is under way');
    const waiting = await Promise.all([1, 2].map(() => migrate(older, {}, { wait: true, drop: ['users.extra'] })));
    expect(waiting.map(({ id }) => id === null).sort()).toEqual([false, true]);
    await isCurrent(older);
  });

  test('it queues behind nobody for long: a reader that comes later is not held up', async () => {
    await client.query(`BEGIN`);
    await client.query(`SELECT count(*) FROM users`);
    const said: string[] = [];
    const migrating = migrate(older, {}, { waiting: (text) => said.push(text) });
    while (said.length === 0) await new Promise((resolve) => setTimeout(resolve, 50));
    // Between two tries the table is free; behind a waiting ALTER this would never come back.
    await dataSource.query(`SELECT count(*) FROM users`);
    await client.query(`COMMIT`);
    await migrating;
    expect(said[0]).toMatch(/^users.call: waiting for a lock; open now: .*process \d+, in a transaction for \d+ s/);
    await isCurrent(older);
  });
});

describe('interrupted at any step', () => {
  class Killed extends Error {}
  const before = model({ call: { type: 'string' }, gone: { type: 'integer' } });
  const after = model({
    call: { type: 'integer', required: true, unique: true },
    mooring: { type: 'string', maxLength: 9, required: true, indexed: true },
    friend: { references: 'users' },
  });
  const answers: Answers = {
    'users.call': { 'values-do-not-fit': { constant: 1 }, 'rows-without-value': { make: 'serial' } },
    'users.mooring': { 'rows-without-value': { make: 'place' } },
  };

  test('it is finished by running it once more, with the answers that it was given', async () => {
    let killedAt = 1;
    for (let killed = true; killed; killedAt++) {
      const everything = (await presentFields(dataSource)).map(({ name }) => `users.${name}`);
      await migrate([], {}, { drop: everything });
      await migrate(before);
      await set('f_call', `(100 + char_length(bio))::text`);
      const progress = (_: unknown, { n }: { n: number }) => {
        if (n === killedAt) throw new Killed();
      };
      killed = await migrate(after, answers, { drop: ['users.gone'], progress }).then(
        () => false,
        (error: unknown) => error instanceof Killed,
      );
      await migrate(after, {}, { drop: ['users.gone'] });
      await isCurrent(after);
      expect((await values('f_call')).map(Number)).toEqual(Array.from({ length: USERS }, (__, i) => 101 + i));
      expect((await values('f_mooring')).every((value) => value !== null)).toBe(true);
    }
    expect(killedAt).toBeGreaterThan(20);
    expect(await columnsLike('m\\_%')).toEqual([]);
  });

  test('an index whose building was interrupted is noticed, and built again', async () => {
    const unique = model({ call: { type: 'string', unique: true } });
    await migrate(before, {});
    await set('f_call', `'same'`);
    await expect(
      client.query(`CREATE UNIQUE INDEX CONCURRENTLY users_f_call_unique ON users (f_call)`),
    ).rejects.toThrow('could not create');
    const [{ change }] = (await planMigration(dataSource, unique, {})).changes as unknown as [
      { change: { sentence: string } },
    ];
    expect(change.sentence).toContain('an index whose building was interrupted is thrown away first');
    await migrate(unique, { 'users.call': { 'values-repeat': 'number' } }, { drop: ['users.gone'] });
    await isCurrent(unique);
  });

  test('what a change of type left behind goes when another model is wanted', async () => {
    await migrate(before);
    await migrate(after, answers, {
      drop: ['users.gone'],
      progress: ({ does }) => {
        if (does === 'convert the values') throw new Killed();
      },
    }).catch(() => undefined);
    expect((await planMigration(dataSource, before, {})).leftovers).toHaveLength(1);
    await migrate(before, {}, { drop: ['users.mooring', 'users.friend'] });
    await isCurrent(before);
    expect(await dataSource.query(`SELECT proname FROM pg_proc WHERE proname LIKE 'keep_%'`)).toEqual([]);
  });
});

describe('going back', () => {
  const first = model({ call: { type: 'string', maxLength: 30 } });
  const second = model({
    call: { type: 'string', maxLength: 10, required: true, default: 'x' },
    berth: { type: 'integer' },
  });
  const back = (more: Partial<MigrationOptions> = {}) => migrateBack(dataSource, { answers: {}, drop: [], ...more });

  test('undoes the last migration, one at a time, as long as nothing is lost', async () => {
    await migrate(first);
    await migrate(second, { 'users.call': { 'rows-without-value': { constant: 'y' } } });
    expect((await back()).model).toEqual(first);
    await isCurrent(first);
    await set('f_call', `'kept'`);
    await expect(back()).rejects.toThrow('12 rows would lose their values for good');
    await isCurrent(first);
    expect((await back({ drop: ['users.call'] })).model).toEqual([]);
    expect(await presentFields(dataSource)).toEqual([]);
    await expect(back()).rejects.toThrow('no migration to take back');
  });

  test('leads to before a migration that was given up for another model, not to where that one was going', async () => {
    await migrate(first);
    const stop = () => {
      throw new Error('stopped');
    };
    const never = model({ call: { type: 'string', maxLength: 30 }, never: { type: 'integer' } });
    await expect(migrate(never, {}, { progress: stop })).rejects.toThrow('stopped');
    await migrate(second, { 'users.call': { 'rows-without-value': { constant: 'y' } } });
    expect((await back()).model).toEqual(first);
    await isCurrent(first);
  });
});
