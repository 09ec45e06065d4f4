import { describe, expect, test } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { actAs, context, open, openTab, openWindow, page, posts, service, useConsole } from './browser.js';

useConsole();

const waitForPosts = (count: number) =>
  posts()
    .nth(count - 1)
    .waitFor();

describe('the console', () => {
  test('asks nobody to sign in, signs in by a form, and signs out', async () => {
    await open('/feed');
    await page.getByText('Nobody is signed in').waitFor();
    await page.getByRole('main').getByRole('button', { name: 'sign in' }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel(/Handle or e-mail/).fill('odile');
    await dialog.getByLabel(/Password/).fill('wrong');
    await dialog.getByRole('button', { name: 'Sign in', exact: true }).click();
    await dialog.getByText('No account has this handle or e-mail with this password.').waitFor();
    await dialog.getByLabel(/Password/).fill('tidewick-demo');
    await page.keyboard.press('Enter');
    await page.getByText('Signed in as @odile.').waitFor();
    await waitForPosts(20);
    await page.getByRole('button', { name: 'Sign out' }).click();
    await page.getByText('Nobody is signed in').waitFor();
    await page.reload();
    await page.getByText('Nobody is signed in').waitFor();
  });

  test('reads two pages in both orders, without a repeat, and says why a post stands there', async () => {
    await open('/');
    await actAs(page, 'odile');
    await page.getByRole('navigation').getByRole('link', { name: 'Feed' }).click();
    await waitForPosts(20);
    await page.getByRole('button', { name: 'Load more' }).click();
    await waitForPosts(40);
    await page.getByRole('button', { name: 'By lane time' }).click();
    expect(page.url()).toContain('order=score');
    await waitForPosts(20);
    await page.getByRole('button', { name: 'Load more' }).click();
    await waitForPosts(40);
    const addresses = await posts()
      .locator('a[href^="/posts/"]:has(time)')
      .evaluateAll((links) => links.map((link) => link.getAttribute('href')));
    expect(new Set(addresses).size).toBe(40);
    await posts()
      .first()
      .getByRole('button', { name: /^stands/ })
      .click();
    await posts()
      .first()
      .getByText(/^You follow @\w+; posted/)
      .waitFor();
  });

  test('posts, edits and deletes what is one’s own, with a word of confirmation', async () => {
    await open('/');
    await actAs(page, 'odile');
    await open('/feed');
    const text = `Anybody seen our fender? ${Date.now()}`;
    await page.getByLabel('Write a post').fill(text);
    await page.getByText(/\d+ of 600 characters/).waitFor();
    await page.getByRole('button', { name: 'Post', exact: true }).click();
    await page.getByText('Posted.', { exact: true }).waitFor();
    await posts().first().getByText(text).waitFor();
    // Cleared once every list is there anew.
    await page.waitForFunction(() => document.querySelector('textarea')!.value === '');
    await posts().first().getByRole('button', { name: 'Edit' }).click();
    await page.getByLabel('Edit the post').fill(`${text} Found it.`);
    await page.keyboard.press('Control+Enter');
    await page.getByText('Saved.').waitFor();
    await posts().first().getByText('· edited').waitFor();
    await posts().first().getByRole('button', { name: 'Delete' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Delete' }).click();
    await page.getByText('Deleted.').waitFor();
    await posts().getByText(text).first().waitFor({ state: 'detached' });
  });

  test('shows no edit or delete on another’s post', async () => {
    await open('/');
    await actAs(page, 'odile');
    await open('/users/@bram');
    await waitForPosts(20);
    expect(
      await posts()
        .getByRole('button', { name: /Edit|Delete/ })
        .count(),
    ).toBe(0);
    await open('/users/@odile');
    await waitForPosts(10);
    expect(await posts().getByRole('button', { name: 'Edit' }).count()).toBe(await posts().count());
  });

  test('keeps what was typed when saving fails, and says what is wrong', async () => {
    await open('/');
    await actAs(page, 'odile');
    await open('/feed');
    await waitForPosts(20);
    const box = page.getByLabel('Write a post');
    await box.fill('x'.repeat(601));
    await page.getByText('601 of 600 characters: 1 too many').waitFor();
    expect(await page.getByRole('button', { name: 'Post', exact: true }).isDisabled()).toBe(true);
    await box.fill('Typed while the service was away');
    await context.setOffline(true);
    await page.getByRole('button', { name: 'Post', exact: true }).click();
    await page.getByText('The service does not answer. Is it still running?').waitFor();
    expect(await box.inputValue()).toBe('Typed while the service was away');
  });

  test('an edit on top of another edit is refused, and nothing typed is lost', async () => {
    await open('/');
    await actAs(page, 'bram');
    await open('/users/@bram');
    await waitForPosts(10);
    await posts().first().getByRole('button', { name: 'Edit' }).click();
    await page.getByLabel('Edit the post').fill('My version');
    const href = await posts().first().locator('a:has(time)').getAttribute('href');
    await page.evaluate(async (url) => {
      // By the same cookie, as another tab would.
      await fetch(url, {
        method: 'PATCH',
        body: '{"body":"The other tab"}',
        headers: { 'content-type': 'application/json' },
      });
    }, `/v1${href}`);
    await page.getByRole('button', { name: 'Save' }).click();
    const told = page.getByRole('alert').filter({ hasText: 'It changed since you began to edit' });
    await told.getByText('The other tab').waitFor();
    expect(await page.getByLabel('Edit the post').inputValue()).toBe('My version');
    await page.getByRole('button', { name: 'Save mine over it' }).click();
    await posts().first().getByText('My version').waitFor();
  });

  test('an edit goes by what was there as it began, whatever is fetched meanwhile', async () => {
    await open('/');
    await actAs(page, 'bram');
    await open('/users/@bram');
    await waitForPosts(10);
    await posts().first().getByRole('button', { name: 'Edit' }).click();
    await page.getByLabel('Edit the post').fill('Mine, from before');
    const href = await posts().first().locator('a:has(time)').getAttribute('href');
    await page.evaluate(async (url) => {
      await fetch(url, {
        method: 'PATCH',
        body: '{"body":"Theirs, meanwhile"}',
        headers: { 'content-type': 'application/json' },
      });
    }, `/v1${href}`);
    // Another post that is saved meanwhile fetches every list anew.
    await posts().nth(1).getByRole('button', { name: 'Edit' }).click();
    await posts().nth(1).getByLabel('Edit the post').fill('Another one, saved meanwhile');
    await posts().nth(1).getByRole('button', { name: 'Save' }).click();
    await posts().nth(1).getByText('Another one, saved meanwhile').waitFor();
    await posts().first().getByRole('button', { name: 'Save' }).click();
    const told = page.getByRole('alert').filter({ hasText: 'It changed since you began to edit' });
    await told.getByText('Theirs, meanwhile').waitFor();
    await page.getByRole('button', { name: 'Keep theirs' }).click();
    await posts().first().getByText('Theirs, meanwhile').waitFor();
  });

  test('an empty feed offers people to follow; following fills it', async () => {
    await open('/');
    await actAs(page, 'wren');
    await open('/feed');
    await page.getByText('Your feed is empty').waitFor();
    await page
      .getByRole('button', { name: /^Follow @/ })
      .first()
      .click();
    await page.getByText(/^You follow @/).waitFor();
    await waitForPosts(1);
  });

  test('a post has a page with its conversation: comment, answer, delete', async () => {
    await open('/');
    await actAs(page, 'odile');
    await open('/feed?order=score');
    await posts().first().locator('a:has(time)').click();
    await page.waitForURL(/\/posts\/[0-9a-f-]{36}$/);
    const comments = page.getByRole('article', { name: /^Comment by/ });
    await comments.first().waitFor();
    // The box opens in place, and the answer stands under what it answers.
    await comments.first().getByRole('button', { name: 'Answer' }).click();
    await page.getByLabel(/^Answer @/).fill('Seen, thank you.');
    const box = page.locator('form').filter({ has: page.getByLabel(/^Answer @/) });
    await box.getByRole('button', { name: 'Answer', exact: true }).click();
    await page.getByText('Commented.').waitFor();
    const mine = comments.filter({ hasText: 'Seen, thank you.' });
    await mine.waitFor();
    // One's own can be deleted, and nobody else's.
    const deletable = await comments.filter({ has: page.getByRole('button', { name: 'Delete' }) }).all();
    expect(deletable.length).toBeGreaterThan(0);
    for (const each of deletable) expect(await each.locator('a[href="/users/@odile"]').count()).toBeGreaterThan(0);
    await mine.getByRole('button', { name: 'Delete' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Delete' }).click();
    await page.getByText('Deleted.').waitFor();
    await mine.waitFor({ state: 'detached' });
  });

  test('the operator key opens the counts, by hand and by the address that the demo prints', async () => {
    const key = readFileSync(service.operatorKey, 'utf8').trim();
    await open('/');
    await page.getByRole('button', { name: 'Give the key' }).click();
    await page.getByLabel(/Key/).fill('gl-operator-nonsense');
    await page.getByRole('button', { name: 'Use it' }).click();
    await page.getByText('This is not the operator key of this service.').waitFor();
    await page.getByLabel(/Key/).fill(key);
    await page.getByRole('button', { name: 'Use it' }).click();
    await page.getByRole('main').getByRole('link', { name: '@heron_count' }).waitFor();
    await context.clearCookies();
    await openTab();
    await open(`/#operator-key=${key}`);
    await page.getByRole('main').getByRole('link', { name: '@heron_count' }).waitFor();
    expect(page.url()).not.toContain(key);
    expect(await page.evaluate(() => document.cookie)).toBe('');
  });

  test('a post or user that is not there is said to be so', async () => {
    await open('/posts/0190a000-0000-7000-8000-00000000abcd');
    await page.getByText('There is no such post, or it was deleted.').waitFor();
    await open('/users/@not_there');
    await page.getByText('There is no user @not_there.').waitFor();
  });

  test('by keyboard alone, and without sideways scrolling at phone width in the dark', async () => {
    await openWindow({ viewport: { width: 390, height: 800 }, colorScheme: 'dark' });
    await open('/feed');
    const box = page.getByRole('combobox', { name: 'Acting as' });
    await box.waitFor();
    while (!(await box.evaluate((element) => element === document.activeElement))) await page.keyboard.press('Tab');
    await page.keyboard.type('bram');
    await page.getByRole('option', { name: '@bram' }).waitFor();
    await page.keyboard.press('ArrowDown');
    while (!(await page.locator('[role=option].Mui-focused').textContent())?.startsWith('@bram'))
      await page.keyboard.press('ArrowDown');
    await page.keyboard.press('Enter');
    await waitForPosts(20);
    expect(await page.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth)).toBe(true);
    expect(await page.evaluate(() => getComputedStyle(document.body).backgroundColor)).toBe('rgb(20, 27, 27)');
  });
});
