import { beforeEach, expect, test } from '@jest/globals';
import { actAs, asOperator, page, service, useConsole } from './browser.js';

const MODEL = `model:
  users:
    fields:
      mooring: { type: string, maxLength: 40, required: true, fill: place, description: Where the crew is moored }
      phone: { type: string, maxLength: 20, audience: owner }
  posts:
    fields:
      lockNumber: { type: integer, minimum: 1, maximum: 21 }
      state: { type: string, enum: [open, "closed, alas"] }
  comments:
    fields:
      seen: { type: boolean }
`;

// The tables are empty, so the demo brings them to the model by itself, and fills its own people's fields.
useConsole(MODEL);
beforeEach(async () => {
  await asOperator();
  await actAs(page, 'odile');
});

const read = async (path: string) =>
  (await (await fetch(service.address + path)).json()) as { fields: Record<string, unknown> };

test('a post is written with its fields, shows them, and is edited with them', async () => {
  await page.goto(`${service.address}/feed`);
  await page.getByLabel('Write a post').fill('Queue at the nineteenth.');
  await page.getByLabel('lockNumber').fill('19');
  await page.getByLabel('state').click();
  await page.getByRole('option', { name: 'closed, alas' }).click();
  await page.getByRole('button', { name: 'Post', exact: true }).click();
  const post = page.getByRole('article').filter({ hasText: 'Queue at the nineteenth.' });
  await post.getByText('closed, alas').waitFor();
  await post.getByRole('button', { name: 'Edit' }).click();
  await post.getByLabel('lockNumber').fill('22');
  await post.getByRole('button', { name: 'Save' }).click();
  // The form knows the bounds from the schema: it is not sent, and what was typed stays.
  expect(await post.getByLabel('lockNumber').inputValue()).toBe('22');
  await post.getByLabel('lockNumber').fill('');
  await post.getByRole('button', { name: 'Save' }).click();
  await page.getByText('Saved.').waitFor();
  await post.getByText('closed, alas').waitFor();
  expect(await post.getByText('lockNumber').count()).toBe(0);
});

test('a profile is edited with its fields; what is for the owner is shown to nobody else', async () => {
  await page.goto(`${service.address}/users/@odile`);
  await page.getByRole('button', { name: 'Edit profile' }).click();
  await page.getByText('Where the crew is moored').waitFor();
  await page.getByLabel(/mooring/).fill('Candle Lock');
  await page.getByLabel('phone').fill('0123 456');
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByText('0123 456').waitFor();
  expect((await read('/v1/users/@odile')).fields).toEqual({ mooring: 'Candle Lock' });
  await actAs(page, 'bram');
  await page.getByText('Candle Lock').first().waitFor();
  await page.getByRole('button', { name: 'Edit profile' }).waitFor({ state: 'detached' });
  expect(await page.getByText('0123 456').count()).toBe(0);
});

test('a comment takes its fields too', async () => {
  await page.goto(`${service.address}/feed`);
  await page.getByRole('article').first().locator('a:has(time)').click();
  await page.getByRole('textbox', { name: 'Comment', exact: true }).fill('Seen it myself.');
  await page.getByLabel('seen').click();
  await page.getByRole('option', { name: 'true' }).click();
  await page.getByRole('button', { name: 'Comment', exact: true }).click();
  const comment = page.getByRole('article').filter({ hasText: 'Seen it myself.' }).last();
  await comment.getByText('true').waitFor();
});
