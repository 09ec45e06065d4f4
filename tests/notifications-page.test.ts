import { beforeEach, describe, expect, test } from '@jest/globals';
import type { BrowserContext, Page } from 'playwright-core';
import { actAs, context, open, page, service, useConsole } from './browser.js';

useConsole();

const call = async <T = Record<string, unknown>>(
  method: string,
  path: string,
  as?: string,
  body?: unknown,
): Promise<T> => {
  const reply = await fetch(service.address + path, {
    method,
    headers: {
      ...(as && { authorization: `Bearer ${as}` }),
      ...(body !== undefined && { 'content-type': 'application/json' }),
    },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  const text = await reply.text();
  if (!reply.ok) throw new Error(`${method} ${path} answered ${reply.status}: ${text}`);
  return (text ? JSON.parse(text) : {}) as T;
};
const tokenOf = async (login: string) =>
  (await call<{ accessToken: string }>('POST', '/v1/sessions', undefined, { login, password: 'tidewick-demo' }))
    .accessToken;
const post = async (as: string, body = 'Who has the key?') =>
  (await call<{ id: string }>('POST', '/v1/posts', as, { body })).id;
/** The link in the bar, by how many are unseen. */
const bell = (unseen: number, of: Page = page) =>
  of.getByRole('link', { name: unseen > 0 ? `Notifications, ${unseen} new` : /^Notifications$/ });
const rows = (of: Page = page) => of.locator('main li');

let bram: string;
let wren: string;
beforeEach(async () => {
  [bram, wren] = [await tokenOf('bram'), await tokenOf('wren')];
  await open('/');
  await actAs(page, 'wren');
  const { through } = await call<{ through: string }>('GET', '/v1/notifications', wren);
  await call('PUT', '/v1/notifications/seen', wren, { through });
  await bell(0).waitFor();
});

describe('notifications', () => {
  test('are counted in the bar as they come, stay new while one looks, and are seen everywhere once one leaves', async () => {
    const one = await post(wren);
    const other: BrowserContext = await context.browser()!.newContext({ storageState: await context.storageState() });
    const elsewhere = await other.newPage();
    await elsewhere.goto(`${service.address}/feed`);
    await bell(0, elsewhere).waitFor();
    await call('PUT', `/v1/posts/${one}/reaction`, bram, { kind: 'like' });
    const { id: said } = await call<{ id: string }>('POST', `/v1/posts/${one}/comments`, bram, { body: 'I have it.' });
    await bell(2).waitFor();
    await bell(2, elsewhere).waitFor();
    await bell(2).click();
    await rows().filter({ hasText: 'commented on your post' }).filter({ hasText: 'New' }).waitFor();
    // Another act while one looks: counted, and what one reads does not move by itself.
    const before = await rows().allInnerTexts();
    await call('PUT', `/v1/comments/${said}/reaction`, wren, { kind: 'like' });
    await call('POST', `/v1/posts/${one}/comments`, bram, { body: `Here, @wren.` });
    await page.getByRole('button', { name: 'Show what is new' }).waitFor();
    await bell(3).waitFor();
    expect(await rows().allInnerTexts()).toEqual(before);
    await page.getByRole('button', { name: 'Show what is new' }).click();
    await rows().filter({ hasText: 'mentioned you in a comment' }).waitFor();
    await rows().filter({ hasText: 'reacted to your post' }).filter({ hasText: 'New' }).waitFor();
    await page.getByRole('link', { name: 'Feed', exact: true }).click();
    await bell(0).waitFor();
    await bell(0, elsewhere).waitFor();
    await other.close();
    await bell(0).click();
    await rows().filter({ hasText: 'commented on your post' }).first().waitFor();
    expect(await rows().filter({ hasText: 'New' }).count()).toBe(0);
    // To the very comment.
    await page
      .getByRole('link', { name: /commented on your post/ })
      .first()
      .click();
    await page.waitForURL(`**/posts/${one}/comments/${said}`);
  });

  test('of a kind that is switched off are made no more; nobody signed in is told what to do', async () => {
    await open('/notifications');
    await page.getByRole('switch', { name: 'Somebody reacts to what you wrote' }).click();
    await page
      .getByRole('switch', { name: 'Somebody reacts to what you wrote', checked: false, disabled: false })
      .waitFor();
    const one = await post(wren);
    await call('PUT', `/v1/posts/${one}/reaction`, bram, { kind: 'like' });
    await call('POST', `/v1/posts/${one}/comments`, bram, { body: 'And here.' });
    await bell(1).waitFor();
    await page.getByRole('switch', { name: 'Somebody reacts to what you wrote' }).click();
    await page
      .getByRole('switch', { name: 'Somebody reacts to what you wrote', checked: true, disabled: false })
      .waitFor();
    await page.getByRole('button', { name: 'Sign out' }).click();
    await page.getByText('Notifications belong to somebody').waitFor();
    expect(await page.getByRole('link', { name: /^Notifications/ }).count()).toBe(0);
  });

  test('a post is watched and left on its page', async () => {
    const one = await post(bram);
    await open(`/posts/${one}`);
    await page.getByRole('button', { name: 'Watch' }).click();
    await page.getByRole('button', { name: 'Watching', pressed: true }).waitFor();
    await call('POST', `/v1/posts/${one}/comments`, await tokenOf('odile'), { body: 'Mine too.' });
    await bell(1).waitFor();
    await page.getByRole('button', { name: 'Watching' }).click();
    await page.getByRole('button', { name: 'Watch', pressed: false }).waitFor();
  });
});

describe('what is on screen', () => {
  test('follows what others do, and says what came above without moving', async () => {
    await call('PUT', '/v1/follows/@bram', wren);
    const one = await post(bram, 'The gates at Pennyfall are open.');
    await open('/feed');
    const card = page.getByRole('article').filter({ hasText: 'The gates at Pennyfall are open.' });
    await card.waitFor();
    await call('PUT', `/v1/posts/${one}/reaction`, await tokenOf('odile'), { kind: 'like' });
    await call('POST', `/v1/posts/${one}/comments`, await tokenOf('odile'), { body: 'Thank you.' });
    await card.getByRole('link', { name: '1 comments' }).waitFor();
    await card.getByRole('button', { name: /^Like/ }).filter({ hasText: '1' }).waitFor();
    const top = (await card.boundingBox())!.y;
    for (let i = 0; i < 2; i++) await post(bram, `And closed again, ${i}.`);
    await page.getByRole('button', { name: '2 newer posts' }).waitFor();
    expect((await card.boundingBox())!.y).toBe(top);
    await page.getByRole('button', { name: '2 newer posts' }).click();
    await page.getByRole('article').filter({ hasText: 'And closed again, 1.' }).waitFor();
    await page.getByRole('button', { name: '2 newer posts' }).waitFor({ state: 'detached' });
  });
});
