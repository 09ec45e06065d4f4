import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { clean, COMMAND, run, type Run } from './command.js';
import { startDemo, type DemoService } from './demo-service.js';

let service: DemoService;
let env: Record<string, string>;
beforeAll(async () => {
  service = await startDemo();
  env = { GATHER_LANE_ADDRESS: service.address, GATHER_LANE_SESSION_FILE: join(service.folder, 'session.json') };
  await gl('sign-in', 'odile');
});
afterAll(() => service.end());

const gl = (...args: string[]): Promise<Run> => run(args, { env, cwd: service.folder });
const json = async <T>(...args: string[]): Promise<T> => {
  const { code, out, err } = await gl(...args, '--json');
  if (code !== 0) throw new Error(`${args.join(' ')} exited ${code}: ${err}`);
  return JSON.parse(out) as T;
};
const feed = () =>
  json<{ items: { id: string; reaction: string | null; author: { handle: string } }[] }>('feed', '--order', 'score');

describe('reacting', () => {
  test('says what changed and the new counts; the same again says that nothing did', async () => {
    const post = (await feed()).items.find(({ reaction, author }) => reaction === null && author.handle !== 'odile')!;
    const end = post.id.slice(-6);
    const first = await gl('react', end, 'like');
    expect(first).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^Reacted with like\. \d+ like.* \(net -?\d+\)\.\nIt stands at /),
    });
    expect((await gl('react', end, 'like')).out).toContain('You had reacted with like already: nothing changed.');
    expect((await gl('reactions', end)).out).toMatch(/@odile +like/);
    expect((await gl('show', end)).out).toContain('yours is like');
    expect((await gl('unreact', end)).out).toMatch(/^Taken back\./);
    expect((await gl('unreact', end)).out).toContain('There was no reaction of yours: nothing changed.');
    const unknown = await gl('react', end, 'hug');
    expect([unknown.code, unknown.err]).toEqual([1, expect.stringContaining('must be one of like, dislike')]);
  });

  test('to a comment goes by its id too', async () => {
    const { items } = await feed();
    for (const { id } of items) {
      const { comments } = await json<{ comments: { id: string }[] }>('show', id);
      if (!comments[0]) continue;
      expect((await gl('react', comments[0].id, 'like')).out).toMatch(/^Reacted with like\. \d+ like/);
      expect((await gl('unreact', comments[0].id)).code).toBe(0);
      return;
    }
    throw new Error('no post with a comment');
  });
});

describe('read along by another program', () => {
  test('that has read enough, it ends without a word', async () => {
    for (const args of [['feed', '--place'], ['routes']]) {
      const child = spawn(process.execPath, [COMMAND, ...args], { env: clean(env), cwd: service.folder });
      child.stdout.destroy();
      let err = '';
      child.stderr.on('data', (chunk) => (err += String(chunk)));
      const code = await new Promise((resolve) => child.on('close', resolve));
      expect([args[0], code, err.replace(/^(\d+ (posts|routes).*|)$/gm, '').trim()]).toEqual([args[0], 0, '']);
    }
  });
});

describe('finding a way', () => {
  test('place says what would carry a post past the one above; near says whom to follow, and why', async () => {
    const { items } = await feed();
    expect((await gl('place', items[0]!.id)).out).toContain('It stands on top of the feed.');
    expect((await gl('place', items[4]!.id)).out).toMatch(/To pass the post above it, by @\w+, it would take \d+ more/);
    expect((await gl('near')).out).toMatch(/Followed by @\w+/);
    await gl('sign-in', 'wren');
    const empty = await gl('feed');
    expect(empty.out).toContain('gather-lane near');
    expect((await gl('near', '--limit', '3')).out).toMatch(/^WHO +NAME +WHY\n@\w+/);
    const wrens = await json<{ reason: string; remedy: string }>(
      'place',
      items[0]!.id,
      '--for',
      '@wren',
      '--data',
      join(service.folder, '.gather-lane'),
    );
    expect(wrens).toMatchObject({ reason: 'not-followed', remedy: expect.stringMatching(/^It takes following @/) });
    await gl('sign-in', 'odile');
  });
});

describe('weighting', () => {
  test('shows, tries, adopts, goes back, and refuses what is no weighting', async () => {
    expect((await gl('weighting')).out).toMatch(/1 +in force .*8 h +4 /);
    const tried = await gl(
      'weighting',
      'try',
      '--half-life',
      '1h',
      '--like',
      '4',
      '--comment=0.5',
      '--for',
      '@odile',
      '--depth',
      '5',
    );
    expect(tried).toMatchObject({ code: 0 });
    expect(tried.out).toContain('Tried: half-life 1 h, base 4');
    expect(tried.out).toMatch(/The feed of @odile: \d+ % of the first page stays/);
    expect(tried.out).toMatch(/median age of the posts/);
    expect((await json<unknown[]>('weighting')).length).toBe(1);

    const adopted = await gl('weighting', 'adopt', '--half-life', '2h', '--like', '2', '--note', 'Quicker days');
    expect(adopted).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^Weighting 2 is in force: half-life 2 h.*\n\d+ % of the first pages of \d+ viewers/),
    });
    const same = await gl('weighting', 'adopt', '--half-life', '2h');
    expect([same.code, same.err]).toEqual([1, expect.stringContaining('nothing to change')]);
    expect((await gl('weighting', 'back', '1')).out).toMatch(/^Weighting 3 is in force: half-life 8 h/);
    const history = await json<{ id: number; note: string; state: string; by: string }[]>('weighting');
    expect(history).toMatchObject([
      { id: 3, state: 'in-force' },
      { id: 2, note: 'Quicker days', state: 'retired' },
      { id: 1 },
    ]);

    for (const [args, code, said] of [
      [['try', '--lik', '2'], 1, 'did you mean like?'],
      [['try', '--half-life', 'soon'], 2, 'no length of time'],
      [['try', '--like'], 2, 'is not understood'],
      [['adopt', '--like', 'much'], 2, 'is not understood'],
      [['cancel'], 1, 'No weighting is being built'],
      [['back', '77'], 1, 'no version 77'],
    ] as const) {
      const wrong = await gl('weighting', ...args);
      expect([args, wrong.code, wrong.err]).toEqual([args, code, expect.stringContaining(said)]);
    }
  });
});
