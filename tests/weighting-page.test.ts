import { describe, expect, test } from '@jest/globals';
import { actAs, asOperator, context, open, page, posts, useConsole } from './browser.js';

useConsole();

const openAsOperator = async (path: string) => {
  await asOperator();
  await actAs(page, 'odile');
  await open(path);
};

describe('reactions in the console', () => {
  test('count at once wherever the post is listed, move, and are taken back where the service refuses', async () => {
    await open('/');
    await actAs(page, 'odile');
    await open('/feed?order=score');
    await posts().nth(9).waitFor();
    // One that stands so that a single reaction shows: beyond a day, lane time is said in hours.
    const said = await posts()
      .getByRole('button', { name: /^stands/ })
      .allTextContents();
    const post = posts().nth(said.findIndex((text) => /min/.test(text)));
    const like = post.getByRole('button', { name: /^Like, / });
    await like.waitFor();
    const count = async () => Number(/\d+$/.exec((await like.getAttribute('aria-label'))!)![0]);
    if ((await like.getAttribute('aria-pressed')) === 'true') await like.click();
    await page.waitForFunction(() => document.querySelectorAll('article button[disabled]').length === 0);
    const before = await count();
    const stands = post.getByRole('button', { name: /^stands/ });
    const stood = await stands.textContent();
    const calls: string[] = [];
    page.on('request', (request) => request.method() === 'GET' && calls.push(request.url()));
    await like.click();
    await post.getByRole('button', { name: `Like, ${before + 1}`, pressed: true }).waitFor();
    // The count moves at once, the standing with the reply.
    const asBefore = new RegExp(`^${stood!.replace(/[+.]/g, '\\$&')}$`);
    await stands.filter({ hasNotText: asBefore }).waitFor();
    // Its reply carries the counts: no list was asked for again.
    expect(calls.filter((url) => url.includes('/v1/feeds/following?'))).toEqual([]);
    await post.locator('a:has(time)').click();
    await page
      .getByRole('button', { name: `Like, ${before + 1}`, pressed: true })
      .first()
      .waitFor();
    await page.getByRole('button', { name: /^Net -?\d+: who/ }).click();
    await page.getByRole('dialog').getByText('@odile').waitFor();
    await page.keyboard.press('Escape');
    await context.setOffline(true);
    await page
      .getByRole('button', { name: `Like, ${before + 1}` })
      .first()
      .click();
    await page.getByText('The service does not answer.').waitFor();
    await page
      .getByRole('button', { name: `Like, ${before + 1}`, pressed: true })
      .first()
      .waitFor();
  });
});

describe('a place in the console', () => {
  test('says what would carry the post past the one above, and why another is not in the feed', async () => {
    await open('/');
    await actAs(page, 'odile');
    await open('/feed?order=score');
    await posts()
      .nth(2)
      .getByRole('button', { name: /^stands/ })
      .click();
    await posts()
      .nth(2)
      .getByText(/To pass the post above it, by @\w+, it would take/)
      .waitFor();
    const strangers = await page.evaluate(async () => {
      const all = (await (await fetch('/v1/posts?limit=100')).json()) as {
        items: { id: string; author: { handle: string } }[];
      };
      for (const { id } of all.items) {
        const place = (await (await fetch(`/v1/feeds/following/places/${id}`)).json()) as { inFeed: boolean };
        if (!place.inFeed) return id;
      }
      return '';
    });
    await open(`/posts/${strangers}`);
    await page.getByText(/^Not in the feed: its author, @\w+, is not followed\. It takes following @/).waitFor();
  });
});

describe('looking closely at a feed', () => {
  test('shows the operator statements, the plan and where posts stand; others are asked for the key', async () => {
    await open('/');
    await actAs(page, 'bram');
    await open('/feed?closely=');
    await page.getByText('Statements and plans are for the operator.').waitFor();
    await openAsOperator('/feed?order=score&closely=');
    const panel = page.getByRole('region', { name: 'How this page is read' });
    await panel.getByText(/^(One statement|2 statements), [\d.]+ ms in all/).waitFor();
    await panel.getByText(/^The page: which posts/).click();
    await panel.getByText('WITH entries AS MATERIALIZED').waitFor();
    await panel
      .getByText(/Index (Only )?Scan (Backward )?on standings_1_/)
      .first()
      .waitFor();
    expect(await panel.locator('svg').count()).toBeGreaterThan(0);
  });
});

describe('the weighting page', () => {
  test('is the operator’s; it tries numbers on a feed, adopts them with a note, and goes back', async () => {
    await open('/weighting');
    await page.getByText('The weighting is for the operator').waitFor();
    await openAsOperator('/weighting');
    await page.getByText('The feed of @odile, now and then').waitFor();
    await page.getByText('100 % of the first page stays; rank correlation 1.00.').waitFor();
    const then = () => page.getByRole('list', { name: 'The feed then' }).getByRole('link').allTextContents();
    const before = await then();
    await page.getByRole('slider', { name: 'Half-life' }).focus();
    await page.keyboard.press('Home');
    await page.getByRole('spinbutton', { name: 'Weight of like, as a number' }).fill('5');
    await page.getByText(/of the first page stays; rank correlation (0|-)/).waitFor();
    expect(await then()).not.toEqual(before);
    await page.getByText(/^Over the first pages of \d+ viewers/).waitFor();

    await page.getByRole('button', { name: 'Adopt…' }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel('Why').fill('Likes for quick days');
    await dialog.getByLabel('Your name, for the history').fill('Ingrid');
    await dialog.getByRole('button', { name: 'Adopt', exact: true }).click();
    const history = page.getByRole('region', { name: 'History' });
    const first = history.getByRole('row').nth(1);
    await first.getByText('in force').waitFor();
    for (const text of ['15 min', 'by Ingrid', 'Likes for quick days'])
      expect(await first.textContent()).toContain(text);
    await history.getByRole('row').nth(2).getByRole('button', { name: 'Go back' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Go back' }).click();
    await history.getByRole('row').nth(3).waitFor();
    await first.getByText('in force').waitFor();
    expect(await first.textContent()).toContain('8 h');
  });

  test('says so of a viewer who is not there, and of one whose feed is empty', async () => {
    await openAsOperator('/weighting?viewer=wren');
    await page.getByText('The feed of @wren is empty').waitFor();
    await open('/weighting?viewer=nobody_here');
    await page.getByText('There is no user @nobody_here.').waitFor();
  });
});
