import { beforeEach, expect, test } from '@jest/globals';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { asOperator, page, service, useConsole } from './browser.js';

useConsole();
beforeEach(async () => {
  await asOperator();
  await page.getByRole('navigation', { name: 'Pages' }).getByRole('link', { name: 'Model' }).click();
  await table('users').waitFor();
});

const table = (name: string) => page.getByLabel(`Table ${name}`, { exact: true });
const panel = (name: string) => page.getByRole('region', { name: `Table ${name}`, exact: true });

test('draws the tables without overlap, every line between two of them, and nothing outside the window', async () => {
  // The diagram is drawn first and made to fit once its pane is measured: the tables come into the window by then.
  await page.waitForFunction(() =>
    [...document.querySelectorAll('.react-flow__node')].every((node) => {
      const { left, right, top, bottom } = node.getBoundingClientRect();
      return left >= 0 && right <= innerWidth && top >= 0 && bottom <= innerHeight;
    }),
  );
  const boxes = await page.locator('.react-flow__node').evaluateAll((nodes) =>
    nodes.map((node) => {
      const { left, right, top, bottom } = node.getBoundingClientRect();
      return { name: node.getAttribute('aria-label'), left, right, top, bottom };
    }),
  );
  expect(boxes.map(({ name }) => name)).toEqual(
    expect.arrayContaining(['Table users', 'Table posts', 'Table follows', 'Table comments']),
  );
  for (const a of boxes) {
    for (const b of boxes)
      if (a !== b) expect(a.right <= b.left || b.right <= a.left || a.bottom <= b.top || b.bottom <= a.top).toBe(true);
  }
  const relations = await page.locator('.react-flow__edge title').allTextContents();
  expect(relations).toEqual(
    expect.arrayContaining([
      'posts.author_id refers to users',
      'follows.follower_id refers to users',
      'comments.parent_id refers to comments',
    ]),
  );
  await page.getByRole('switch', { name: 'All tables' }).check();
  await table('model_migrations').waitFor();
});

test('shows a table whole, masks what is private, and follows the associations of a row', async () => {
  await table('users').click();
  await panel('users').getByRole('tab', { name: 'Rules' }).click();
  await panel('users').getByText('UNIQUE (handle)').waitFor();
  await page.goto(`${service.address}/model/credentials`);
  await panel('credentials').getByRole('tab', { name: 'Rows' }).click();
  await panel('credentials').getByText('••••').first().waitFor();
  expect(await panel('credentials').getByText('@wherry-cut.example').count()).toBe(0);
  await panel('credentials').getByLabel('Show private columns too').check();
  await panel('credentials').getByText('@wherry-cut.example').first().waitFor();
  await panel('credentials').getByText('never shown').first().waitFor();

  await page.goto(`${service.address}/model/posts`);
  await panel('posts').getByRole('tab', { name: 'Rows' }).click();
  await panel('posts').getByRole('region', { name: 'Rows of posts' }).getByRole('link').first().click();
  await panel('posts').getByText('author_id refers to users').waitFor();
  await panel('posts').getByRole('region', { name: 'Rows of users' }).getByRole('link').first().click();
  await panel('users')
    .getByText(/posts refers? to it by author_id/)
    .waitFor();
  await panel('users')
    .getByText(/follows refers? to it by followee_id/)
    .waitFor();
});

test('exports the diagram as SVG and as Mermaid', async () => {
  const download = async (name: string) => {
    const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name }).click()]);
    return readFileSync(await file.path(), 'utf8');
  };
  const svg = await download('SVG');
  expect(svg).toMatch(/^<svg xmlns="http:\/\/www.w3.org\/2000\/svg"/);
  await page.setContent(svg);
  expect(await page.locator('svg rect').count()).toBeGreaterThan(8);
  expect(await page.getByText('post_commenters', { exact: true }).count()).toBe(1);
  await page.goto(`${service.address}/model`);
  expect(await download('Mermaid')).toContain('users ||--o{ posts : "author_id"');
});

test('shows pending changes with their hazards, and runs them with what was chosen', async () => {
  writeFileSync(
    join(service.folder, 'gather-lane.yaml'),
    `model:
  users: { fields: { mooring: { type: string, maxLength: 40, required: true } } }
  posts: { fields: { lockNumber: { type: integer, minimum: 1 } } }
`,
  );
  await page.reload();
  const pending = page.getByRole('region', { name: 'Pending changes' });
  await pending.getByText('60 rows of 60 have no value, and there is no default.').waitFor();
  const migrate = pending.getByRole('button', { name: 'Migrate' });
  expect(await migrate.isDisabled()).toBe(true);
  await pending.getByRole('radio', { name: /the same value for all of them/ }).check();
  expect(await migrate.isDisabled()).toBe(true);
  await pending.getByLabel('The value').fill('Tidewick basin');
  await migrate.click();
  await page.getByText(/Migration 1 is done as far as running services bear it/).waitFor();
  await pending.getByText(/Waits until the service of process \d+ on .* runs by this model file/).waitFor();
  await table('posts').getByText('f_lock_number').waitFor();
  await page.goto(`${service.address}/model/users`);
  await panel('users').getByRole('tab', { name: 'Rows' }).click();
  await panel('users').getByText('f_mooring').waitFor();
});
