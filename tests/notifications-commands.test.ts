import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { clean, COMMAND, run, type Run } from './command.js';
import { startDemo, type DemoService } from './demo-service.js';

let service: DemoService;
beforeAll(async () => {
  service = await startDemo();
  await gl('odile', 'sign-in', 'odile');
  await gl('wren', 'sign-in', 'wren');
});
afterAll(() => service.end());

const envOf = (who: string) => ({
  GATHER_LANE_ADDRESS: service.address,
  GATHER_LANE_SESSION_FILE: join(service.folder, `${who}.json`),
});
const gl = (who: string, ...args: string[]): Promise<Run> => run(args, { env: envOf(who), cwd: service.folder });
const json = async <T>(who: string, ...args: string[]): Promise<T> => {
  const { code, out, err } = await gl(who, ...args, '--json');
  if (code !== 0) throw new Error(`${args.join(' ')} exited ${code}: ${err}`);
  return JSON.parse(out) as T;
};
interface Page {
  items: { kind: string; unseen: boolean; commentId: string | null }[];
  unseen: number;
}

describe('notifications', () => {
  test('are listed with what is new, page by page, and marked as seen', async () => {
    const first = await gl('odile', 'notifications', '--limit', '3');
    expect(first).toMatchObject({ code: 0, err: expect.stringContaining('there are more: --pages 2') });
    expect(first.out).toMatch(/^\d+ unseen\n\n +WHAT +WHEN +LEADS TO\n●/);
    const { items, unseen } = await json<Page>('odile', 'notifications', '--pages', '3', '--limit', '30');
    expect(items.filter((item) => item.unseen)).toHaveLength(unseen);
    expect(unseen).toBeGreaterThan(0);
    const comments = await json<Page>('odile', 'notifications', '--kinds', 'commented,replied', '--limit', '5');
    expect(new Set(comments.items.map(({ kind }) => kind))).toEqual(new Set(['commented', 'replied']));
    // What it leads to is named by its end from then on.
    expect((await gl('odile', 'reactions', comments.items[0]!.commentId!.slice(-6))).code).toBe(0);
    expect((await gl('odile', 'notifications', '--mark-seen')).err).toContain('All seen.');
    expect((await json<Page>('odile', 'notifications')).unseen).toBe(0);
    expect((await gl('wren', 'notifications', '--kinds', 'reactd')).code).toBe(2);
    expect((await run(['notifications'], { env: { ...envOf('nobody') } })).err).toContain('Sign in with');
  });

  test('of kinds that are off come no more; a post is watched and left', async () => {
    const { id } = await json<{ id: string }>('wren', 'post', 'Who has the windlass?');
    const end = id.slice(-6);
    expect((await gl('wren', 'notifications', '--off', 'reacted,commented')).err).toContain(
      'You are told of: mentioned, replied, watched, followed.',
    );
    await gl('odile', 'feed');
    await gl('odile', 'react', id, 'like');
    await gl('odile', 'comment', id, 'I do.');
    expect((await gl('wren', 'notifications')).out).toContain('Nothing yet');
    await gl('wren', 'notifications', '--on', 'reacted,commented');
    await gl('odile', 'comment', id, 'Shall I bring it?');
    expect((await gl('wren', 'notifications')).out).toContain('commented on your post');
    expect((await gl('odile', 'watch', id)).out).toContain('You were already told of new comments on it.');
    expect((await gl('odile', 'unwatch', id)).out).toContain('no more');
    expect((await gl('odile', 'unwatch', id)).out).toContain('nothing changed');
    expect((await gl('wren', 'watch', end)).out).toContain('You are told of new comments on it.');
  });

  test('the client’s example tells what happens, and what happened while it did not run', async () => {
    const { id } = await json<{ id: string }>('wren', 'post', 'Who saw the heron?');
    const env = {
      ...clean(),
      GATHER_LANE_ADDRESS: service.address,
      LISTEN_AS: 'wren',
      LISTEN_KEPT: join(service.folder, 'last'),
    };
    const listen = async (until: string, meanwhile: () => Promise<unknown>) => {
      const child = spawn(process.execPath, ['examples/client/listen.mjs'], { env });
      let out = '';
      const said = (text: string) =>
        new Promise<void>((resolve) => {
          child.stdout.on('data', () => out.includes(text) && resolve());
          if (out.includes(text)) resolve();
        });
      child.stdout.on('data', (chunk) => (out += String(chunk)));
      await said('unseen');
      await meanwhile();
      await said(until);
      child.kill('SIGKILL');
      await new Promise((resolve) => child.on('close', resolve));
      return out.split('\n').filter((line) => line.includes(':'));
    };
    const first = await listen('Odile Fenwright commented', () => gl('odile', 'comment', id, 'I did.'));
    await gl('odile', 'comment', id, 'And a second one.');
    const second = await listen('A third!', () => gl('odile', 'comment', id, 'A third!'));
    expect(first).toEqual(['Odile Fenwright commented: I did.']);
    // While it did not run one came, and then another: the notification that gathers them, each time as it is.
    expect(second.at(-1)).toBe('Odile Fenwright commented: A third!');
    expect(second.length).toBeLessThanOrEqual(2);
  });

  test('--watch tells what comes until it is stopped', async () => {
    const { id } = await json<{ id: string }>('wren', 'post', 'Mooring free below the weir.');
    const child = spawn(process.execPath, [COMMAND, 'notifications', '--watch'], { env: clean(envOf('wren')) });
    let [out, err] = ['', ''];
    const says = (text: string) =>
      new Promise<void>((resolve) => {
        const look = () => (out + err).includes(text) && resolve();
        child.stdout.on('data', look);
        child.stderr.on('data', look);
        look();
      });
    child.stdout.on('data', (chunk) => (out += String(chunk)));
    child.stderr.on('data', (chunk) => (err += String(chunk)));
    await says('Waiting');
    await gl('odile', 'react', id, 'like');
    await says('reacted to your post');
    child.kill('SIGINT');
    expect(await new Promise((resolve) => child.on('close', resolve))).toBe(0);
    expect(out).toMatch(new RegExp(`^● Odile Fenwright reacted to your post  ${id.slice(-6)}  Mooring free`));
  });
});
