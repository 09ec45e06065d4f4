import { describe, expect, test } from '@jest/globals';
import sharp from 'sharp';
import { actAs, asOperator, context, open, page, posts, service, useConsole } from './browser.js';

useConsole();

const picture = async (red: number) => ({
  name: 'fog.jpg',
  mimeType: 'image/jpeg',
  buffer: await sharp({ create: { width: 900, height: 600, channels: 3, background: { r: red, g: 90, b: 90 } } })
    .jpeg()
    .toBuffer(),
});

describe('a session in the browser', () => {
  test('is in a cookie that no script reads, holds in another tab, and is ended from the account page', async () => {
    await open('/feed');
    await actAs(page, 'odile');
    expect(
      await page.evaluate(() => document.cookie + JSON.stringify({ ...sessionStorage, ...localStorage })),
    ).not.toMatch(/[\w-]{40}/);
    const [cookie] = (await context.cookies()).filter(({ name }) => name === 'gather_lane_session');
    expect(cookie).toMatchObject({ httpOnly: true, sameSite: 'Strict', path: '/v1' });
    const other = await context.newPage();
    await other.goto(`${service.address}/account`);
    await other.getByRole('heading', { name: 'Account of @odile' }).waitFor();
    await other.getByRole('button', { name: 'Sign out everywhere' }).click();
    await other.getByText('Signed out everywhere.').waitFor();
    // The first tab notices too.
    await page.getByText('Nobody is signed in').waitFor();
  });

  test('a forgotten password is set by the link in the mailbox', async () => {
    await asOperator();
    await open('/feed');
    await page.getByRole('banner').getByRole('button', { name: 'Sign in' }).click();
    await page.getByRole('link', { name: 'Forgot your password?' }).click();
    await page.getByLabel('E-mail of your account').fill('wren@wherry-cut.example');
    await page.getByRole('button', { name: 'Send a link' }).click();
    await page.getByText(/a link is on its way/).waitFor();
    await page.getByRole('link', { name: 'Mailbox' }).click();
    const mail = page.getByRole('article', { name: 'Set a new password' });
    await mail.getByText('to wren@wherry-cut.example').waitFor();
    await page.goto((await mail.getByRole('link').getAttribute('href'))!);
    await page.getByLabel('New password').fill('wren by the weir');
    await page.getByRole('button', { name: 'Set it' }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel(/Handle or e-mail/).fill('wren');
    await dialog.getByLabel(/Password/).fill('wren by the weir');
    await page.keyboard.press('Enter');
    await page.getByText('Signed in as @wren.').waitFor();
  });

  test('somebody signs in through the provider, and deletes the account again', async () => {
    await open('/feed');
    await page.getByRole('banner').getByRole('button', { name: 'Sign in' }).click();
    await page.getByRole('button', { name: /Sign in through The Boatbuilders/ }).click();
    await page.getByRole('button', { name: /Tobiah Reed/ }).click();
    await page.getByText('Signed in as @tobiah_reed.').waitFor();
    await page.getByText('Your feed is empty').waitFor();
    await page.getByRole('banner').getByRole('link', { name: 'Account' }).click();
    await page.getByText(/The Boatbuilders’ Guild, as guild-012/).waitFor();
    await page.getByLabel(/Your handle, tobiah_reed/).fill('tobiah_reed');
    await page.getByRole('button', { name: 'Delete @tobiah_reed' }).click();
    await page.getByText(/@tobiah_reed is deleted/).waitFor();
    await open('/users/@tobiah_reed');
    await page.getByText(/There is no user @tobiah_reed/).waitFor();
  });
});

describe('pictures', () => {
  test('are added, described, ordered and removed; a post may be pictures only; one that fails says so', async () => {
    await open('/feed?order=recent');
    await actAs(page, 'odile');
    await page
      .locator('input[type=file]')
      .first()
      .setInputFiles([await picture(10), await picture(200)]);
    await page.getByLabel('What picture 2 shows').fill('A lock gate in fog');
    await page.getByRole('button', { name: 'Move picture 2 forward' }).click();
    await page.getByRole('button', { name: 'Post', exact: true }).click();
    await page.getByText('Posted.').waitFor();
    const first = posts().first();
    const shown = first.getByRole('img', { name: 'A lock gate in fog' });
    await shown.waitFor();
    await page.waitForFunction(
      () => (document.querySelector('article img[alt="A lock gate in fog"]') as HTMLImageElement)?.naturalWidth > 0,
    );
    const box = (await shown.boundingBox())!;
    expect(box.width / box.height).toBeCloseTo(1.5, 1);
    await first.getByRole('button', { name: 'Edit' }).click();
    await first.getByRole('button', { name: 'Remove picture 2' }).click();
    await first.getByRole('button', { name: 'Save' }).click();
    await page.getByText('Saved.').waitFor();
    // The list is read afresh after the word that it is saved.
    await posts().first().locator('img[loading]').nth(1).waitFor({ state: 'detached' });
    expect(await posts().first().locator('img[loading]').count()).toBe(1);
    await page.route('**/media/**', (route) => route.abort());
    await page.reload();
    await posts().first().getByRole('img', { name: 'A lock gate in fog' }).getByText('A lock gate in fog').waitFor();
  });

  test('a file that is none is refused in words, and nothing typed is lost', async () => {
    await open('/feed');
    await actAs(page, 'odile');
    await page.getByLabel('Write a post').fill('About to add a picture');
    await page
      .locator('input[type=file]')
      .first()
      .setInputFiles({ name: 'a.png', mimeType: 'image/png', buffer: Buffer.from('<svg/>') });
    await page.getByText(/no JPEG, PNG or WebP picture/).waitFor();
    expect(await page.getByLabel('Write a post').inputValue()).toBe('About to add a picture');
  });
});

describe('keeping order', () => {
  test('what one deletes is brought back from the account page', async () => {
    await open('/feed');
    await actAs(page, 'odile');
    await page.getByLabel('Write a post').fill('To be deleted and brought back');
    await page.getByRole('button', { name: 'Post', exact: true }).click();
    await page.getByText('Posted.').waitFor();
    const mine = posts().filter({ hasText: 'To be deleted and brought back' });
    await mine.getByRole('button', { name: 'Delete' }).click();
    await page.getByRole('dialog').getByRole('button', { name: 'Delete' }).click();
    await page.getByText('Deleted.').waitFor();
    await open('/account');
    await page.getByText('To be deleted and brought back').waitFor();
    await page.getByRole('button', { name: 'Bring back' }).first().click();
    await page.getByText('It is back.').waitFor();
    await open('/feed?order=recent');
    await mine.first().waitFor();
  });

  test('a moderator withholds with a reason, and edits nothing of another’s', async () => {
    await open('/users/@odile');
    await actAs(page, 'bram');
    const post = posts().first();
    await post.waitFor();
    expect(await post.getByRole('button', { name: 'Edit' }).count()).toBe(0);
    await post.getByRole('button', { name: 'Withhold' }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel(/Why/).fill('names a stranger');
    await dialog.getByRole('button', { name: 'Withhold' }).click();
    await page.getByText('Withheld.').waitFor();
    await actAs(page, 'odile');
    await open('/account');
    await page.getByText(/a moderator withholds it .*“names a stranger”/).waitFor();
  });

  test('muting and blocking from a profile', async () => {
    await open('/users/@bram');
    await actAs(page, 'odile');
    await page.getByRole('button', { name: 'Mute' }).click();
    await page.getByText(/You read nothing of theirs/).waitFor();
    await page.getByRole('button', { name: 'Unmute' }).click();
    await page.getByText('You read them again.').waitFor();
    await page.getByRole('button', { name: 'Block' }).click();
    await page.getByText(/They see nothing of you any more/).waitFor();
    await page.getByRole('button', { name: 'Unblock' }).click();
    await page.getByText('You let them back in.').waitFor();
  });
});

describe('the ownership page', () => {
  test('runs the check, shows what everybody met, and what was tried on others’ things', async () => {
    await open('/ownership');
    await page.getByText('The check is for the operator').waitFor();
    await asOperator();
    await open('/users/@bram');
    await actAs(page, 'odile');
    const href = (await posts().first().locator('a:has(time)').getAttribute('href'))!;
    const status = await page.evaluate(async (url) => (await fetch(url, { method: 'DELETE' })).status, `/v1${href}`);
    expect(status).toBe(403);
    await page.getByRole('link', { name: 'Ownership' }).click();
    await page.getByRole('cell', { name: 'DELETE /v1/posts/:post' }).waitFor();
    // All routes are another test's, without a page; here it is what the page makes of an answer.
    const only = { only: ['editPost', 'deletePost'] };
    await page.route('**/v1/operator/ownership-checks', (route) => route.continue({ postData: JSON.stringify(only) }));
    await page.getByRole('button', { name: 'Check now' }).click();
    await page
      .getByText(/Everybody met what the rules say, and no row changed that should not/)
      .waitFor({ timeout: 280_000 });
    const row = page.getByRole('row', { name: /PATCH \/v1\/posts\/\{post\}/ });
    expect(await row.getByRole('cell').allInnerTexts()).toEqual([
      'PATCH /v1/posts/{post}',
      'owner of post',
      '401',
      '403',
      '404',
      '200 ✎',
      '403',
      '403',
    ]);
  });
});
