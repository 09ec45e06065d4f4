import { beforeEach, describe, expect, test } from '@jest/globals';
import { actAs, context, open, page, service, useConsole } from './browser.js';

useConsole();

interface Made {
  id: string;
  handle: string;
}

const call = async <T>(method: string, path: string, as?: string, body?: unknown): Promise<T> => {
  const reply = await fetch(service.address + path, {
    method,
    headers: {
      ...(as && { authorization: `Bearer ${as}` }),
      ...(body !== undefined && { 'content-type': 'application/json' }),
    },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  });
  return (await reply.json()) as T;
};
const tokenOf = async (login: string) =>
  (await call<{ accessToken: string }>('POST', '/v1/sessions', undefined, { login, password: 'tidewick-demo' }))
    .accessToken;
const comments = () => page.getByRole('article', { name: /^Comment by/ });

/** A post by bram with a chain of answers, and five answers beside each other. */
async function conversation(): Promise<{ post: string; chain: Made[] }> {
  const [bram, odile] = [await tokenOf('bram'), await tokenOf('odile')];
  const { id: post } = await call<Made>('POST', '/v1/posts', bram, { body: 'Who has the key? #keys' });
  const chain: Made[] = [];
  for (let depth = 0; depth < 4; depth++)
    chain.push(
      await call<Made>('POST', `/v1/posts/${post}/comments`, depth % 2 ? bram : odile, {
        body: `Depth ${depth}`,
        parentId: chain.at(-1)?.id ?? null,
      }),
    );
  for (let i = 0; i < 5; i++)
    await call('POST', `/v1/posts/${post}/comments`, bram, { body: `Beside ${i}`, parentId: chain[0]!.id });
  return { post, chain };
}

describe('a conversation', () => {
  let made: Awaited<ReturnType<typeof conversation>>;
  beforeEach(async () => {
    made = await conversation();
    await open('/');
    await actAs(page, 'odile');
  });

  test('is folded beyond the first replies, and unfolds; an answer stands under what it answers', async () => {
    await open(`/posts/${made.post}`);
    await comments().filter({ hasText: 'Beside 0' }).waitFor();
    expect(await comments().allInnerTexts()).toHaveLength(3);
    await page.getByRole('button', { name: '4 more replies' }).click();
    await comments().filter({ hasText: 'Beside 4' }).waitFor();
    const beside = comments().filter({ hasText: 'Beside 3' });
    await beside.getByRole('button', { name: 'Answer' }).click();
    await page.getByRole('textbox', { name: 'Answer @bram' }).fill('That one is mine.');
    await page.keyboard.press('Control+Enter');
    await page.getByText('Commented.').waitFor();
    await comments().filter({ hasText: 'That one is mine.' }).waitFor();
    const replies = await call<{ items: { body: string }[] }>(
      'GET',
      `/v1/posts/${made.post}/comments?sort=newest&limit=1`,
    );
    expect(replies.items[0]).toMatchObject({ body: 'That one is mine.', depth: 2 });
  });

  test('leaves a marker where a comment was deleted, and the answers below it', async () => {
    await open(`/posts/${made.post}`);
    await comments().filter({ hasText: 'Depth 0' }).getByRole('button', { name: 'Delete' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Delete' }).click();
    await page.getByText('A comment stood here; it was deleted.').waitFor();
    await comments().filter({ hasText: 'Depth 1' }).waitFor();
    expect(await comments().filter({ hasText: 'Depth 0' }).count()).toBe(0);
  });

  test('each comment has an address of its own, with what it stands under', async () => {
    await open(`/posts/${made.post}/comments/${made.chain[3]!.id}`);
    await comments().filter({ hasText: 'Depth 3' }).waitFor();
    expect((await comments().allInnerTexts()).map((text) => /Depth \d/.exec(text)?.[0])).toEqual([
      'Depth 0',
      'Depth 1',
      'Depth 2',
      'Depth 3',
    ]);
    const box = (await comments().filter({ hasText: 'Depth 3' }).boundingBox())!;
    expect(box.y > 0 && box.y + box.height < 800).toBe(true);
    await page.getByRole('link', { name: 'The whole conversation' }).click();
    await page.waitForURL(new RegExp(`/posts/${made.post}$`));
    await open(`/posts/${made.post}/comments/0190a000-0000-7000-8000-00000000abcd`);
    await page.getByText('There is no such comment').waitFor();
  });

  test('a hashtag leads to its page, in both orders, with its numbers', async () => {
    await open(`/posts/${made.post}`);
    await page.getByRole('link', { name: '#keys' }).click();
    await page.waitForURL(/\/hashtags\/keys$/);
    await page.getByRole('heading', { name: '#keys' }).waitFor();
    await page.getByText(/posts? by 1 person/).waitFor();
    await page.getByRole('button', { name: 'By lane time' }).click();
    await page.waitForURL(/order=score/);
    await page
      .getByRole('article', { name: /^Post by/ })
      .first()
      .waitFor();
    await open('/hashtags/nobodyeversaidthis');
    await page.getByText('No post that you may see has it').waitFor();
    await page.getByRole('link', { name: 'all hashtags' }).click();
    await page.getByLabel('Begins with').fill('KEY');
    await page.getByRole('region', { name: 'All hashtags' }).getByRole('link', { name: '#keys' }).waitFor();
  });
});

test('somebody to name is picked by keyboard, first of all whom one follows', async () => {
  await open('/');
  await actAs(page, 'odile');
  await open('/feed');
  const text = page.getByRole('textbox', { name: 'Write a post' });
  await text.click();
  await text.pressSequentially('Thanks @b');
  const people = page.getByRole('listbox', { name: 'People to name' });
  await people.getByRole('option', { name: /@bram/ }).waitFor();
  const handles = (await people.getByRole('option').allInnerTexts()).map((each) => /@(\w+)/.exec(each)![1]!);
  const follows = (await people.getByRole('option').allInnerTexts()).map((each) => each.includes('you follow'));
  expect([...follows].sort((a, b) => Number(b) - Number(a))).toEqual(follows);
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  expect(await text.inputValue()).toBe(`Thanks @${handles[1]} `);
  await text.pressSequentially('and @bra');
  await people.waitFor();
  await page.keyboard.press('Escape');
  await people.waitFor({ state: 'detached' });
  expect(await text.inputValue()).toBe(`Thanks @${handles[1]} and @bra`);
  // The text is still there to be sent, and what it names is a link.
  await text.pressSequentially('m');
  await people.getByRole('option', { name: /@bram/ }).waitFor();
  await page.keyboard.press('Tab');
  await page.keyboard.press('Control+Enter');
  await page.getByText('Posted.').waitFor();
  const links = page.getByRole('article').first().getByRole('link');
  await links.getByText('@bram', { exact: true }).click();
  await page.getByRole('heading', { name: /Bram/ }).first().waitFor();
  expect(context.pages()).toHaveLength(1);
});
