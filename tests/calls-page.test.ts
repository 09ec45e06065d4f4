import { beforeEach, describe, expect, test } from '@jest/globals';
import { actAs, asOperator, context, open, page, useConsole } from './browser.js';

useConsole();

beforeEach(async () => {
  await asOperator();
  await actAs(page, 'odile');
});

const choose = async (words: string, name: string) => {
  await page.getByLabel('Search operations').fill(words);
  await page.getByRole('button', { name }).first().click();
};
const did = () => page.getByRole('region', { name: 'What the call did' });
const reply = () => page.getByRole('region', { name: 'Reply' });
const send = () => page.getByRole('button', { name: 'Send', exact: true }).click();
const post = async (body: string) => {
  await choose('post something', 'POST /v1/posts');
  await page.getByRole('textbox', { name: 'body' }).fill(body);
  await send();
  await did().waitFor();
};

describe('the Calls page', () => {
  test('makes a call, and shows what came, its statements and its rows, which lead to the model', async () => {
    await open('/calls');
    await post('Up early, beside @bram. #moorings');
    await reply().getByText('201', { exact: true }).waitFor();
    const posts = did().getByRole('region', { name: 'Rows of posts' });
    await posts.getByText('inserted').waitFor();
    expect(await posts.innerText()).toContain('Up early, beside @bram. #moorings');
    const tallies = did().getByRole('region', { name: 'Rows of user_tallies' });
    const [before, after] = (await tallies.getByRole('row').allInnerTexts())
      .slice(1)
      .map((text) => Number(/\t(\d+)/.exec(text)![1]));
    expect(after! - before!).toBe(1);
    expect(await did().getByRole('region', { name: 'Statements' }).innerText()).toContain('INSERT INTO posts');
    await reply()
      .getByRole('button', { name: /headers/ })
      .click();
    await reply().getByText('gather-trace').waitFor();
    await posts.getByRole('link').first().click();
    await page.getByText('A row of posts').waitFor();
    await page.getByText('Up early, beside @bram. #moorings').first().waitFor();
  });

  test('says what would be refused as one types, in the words of the service, and sends it all the same', async () => {
    await open('/calls?call=POST+%2Fv1%2Fposts');
    await page.getByRole('textbox', { name: 'body' }).fill('x'.repeat(601));
    await page.getByText('may have at most 600 characters, but has 601: shorten it').waitFor();
    await page.getByRole('tab', { name: 'as JSON' }).click();
    await page.getByRole('textbox', { name: 'Body' }).fill('{ "bdy": "x" }');
    await page.getByText(/bdy is no property of this call.*did you mean body\?/).waitFor();
    await page.getByRole('textbox', { name: 'Body' }).fill('{ "body": ');
    await page.getByText(/is not well-formed JSON/).waitFor();
    await page.getByRole('textbox', { name: 'Body' }).fill('{ "bdy": "x" }');
    await send();
    await reply().getByText('422', { exact: true }).waitFor();
  });

  test('makes the same call as several callers, side by side, and leaves nothing', async () => {
    await open('/calls');
    await post('Whose is it?');
    await choose('delete /v1/posts/{post}', 'DELETE /v1/posts/{post}');
    // It knows what was just made.
    await page.getByRole('combobox', { name: 'post' }).click();
    await page.getByRole('option', { name: 'Whose is it?' }).click();
    await page.getByRole('button', { name: 'Same call as…' }).click();
    await page.getByRole('checkbox', { name: 'operator' }).uncheck();
    await page.getByRole('checkbox', { name: '@odile, token ended' }).uncheck();
    await page.getByRole('button', { name: 'Compare 4' }).click();
    const table = page.getByRole('region', { name: 'Same call, side by side' });
    await table.waitFor();
    const lines = (await table.getByRole('row').allInnerTexts()).map((text) =>
      text.split('\t').map((cell) => cell.trim()),
    );
    expect(lines[0]!.slice(1)).toEqual(['@odile', '@wren', '@wren, blocked', 'nobody']);
    expect(lines.find(([name]) => name === 'Status')!.slice(1)).toEqual(['204', '403', '404', '401']);
    expect(lines.find(([name]) => name === 'posts')!.slice(1)).toEqual(['~1', '', '', '']);
    expect(lines.find(([name]) => name === 'type')!.slice(2)).toEqual(['not-yours', 'not-found', 'not-signed-in']);
    await choose('one post', 'GET /v1/posts/{post}');
    await page.getByRole('combobox', { name: 'post' }).click();
    await page.getByRole('option', { name: 'Whose is it?' }).click();
    await send();
    await reply().getByText('200', { exact: true }).waitFor();
  });

  test('keeps what was called, makes it again, gives it for a shell, and makes a walk of it', async () => {
    await context.grantPermissions(['clipboard-read', 'clipboard-write']);
    await open('/calls');
    await post('It’s kept.');
    await page.getByRole('button', { name: 'Copy' }).click();
    await page.getByRole('menuitem', { name: 'for curl' }).click();
    await page.getByText('Copied for curl.').waitFor();
    const copied = await page.evaluate(() => navigator.clipboard.readText());
    expect(copied).toContain(`-H "Authorization: Bearer $TOKEN"`);
    expect(copied).toContain(`-d '{"body":"It’s kept."}'`);
    await page.getByRole('button', { name: 'Copy' }).click();
    await page.getByRole('menuitem', { name: 'as a command' }).click();
    await page.getByText('Copied as a command.').waitFor();
    expect(await page.evaluate(() => navigator.clipboard.readText())).toBe(`npx gather-lane post 'It’s kept.'`);
    await page.getByRole('tab', { name: 'History (1)' }).click();
    await page
      .getByRole('region', { name: 'History' })
      .getByRole('button', { name: /POST \/v1\/posts/ })
      .click();
    expect(await page.getByRole('textbox', { name: 'body' }).inputValue()).toBe('It’s kept.');
    await page.getByRole('button', { name: 'Make a walk of it' }).click();
    await page.getByRole('button', { name: 'Take all steps' }).waitFor();
    const walk = await page.getByRole('textbox', { name: 'Walk', exact: true }).inputValue();
    expect(walk).toContain('call: POST /v1/posts');
    expect(walk).toContain('- odile');
    await page.getByRole('button', { name: 'Take all steps' }).click();
    await page.getByText('Every step was met.').waitFor();
  });
});

describe('walks in the console', () => {
  test('are taken step by step, and told beforehand what is wrong', async () => {
    await open('/walks');
    await page.getByRole('combobox', { name: 'Walks that come with Gather Lane' }).click();
    await page.getByRole('option', { name: 'Who reacts twice has reacted once' }).click();
    const next = page.getByRole('button', { name: 'Next step' });
    const steps = page.getByRole('list', { name: 'Steps' }).getByRole('listitem');
    // Two people join by two calls each, and then the first step is taken.
    for (let n = 0; n < 5; n++) {
      await next.click();
      await page.getByRole('button', { name: 'Take the others' }).and(page.locator(':enabled')).waitFor();
    }
    expect(await steps.allInnerTexts()).toEqual([
      expect.stringContaining('ann, ben joined'),
      expect.stringContaining('1. ann calls'),
    ]);
    await page.getByRole('button', { name: 'Take the others' }).click();
    await page.getByText('Every step was met.').waitFor();
    const box = page.getByRole('textbox', { name: 'Walk', exact: true });
    await box.fill((await box.inputValue()).replace('reaction: like', 'reacton: like'));
    await page
      .getByText(/Line \d+: step 2 expects \/reacton of the body, which the API document does not have/)
      .waitFor();
    expect(await page.getByRole('button', { name: 'Take all steps' }).isDisabled()).toBe(true);
  });
});

describe('the Activity page', () => {
  test('shows calls as they come, chooses among them, stands still when paused, and leads to what each did', async () => {
    await open('/calls');
    await post('For everybody to see.');
    await open('/activity');
    const calls = page.getByRole('region', { name: 'Calls', exact: true });
    await calls.getByRole('link', { name: 'POST /v1/posts' }).first().waitFor();
    await page.getByRole('combobox', { name: 'Method' }).click();
    await page.getByRole('option', { name: 'POST' }).click();
    await page.waitForFunction(
      () => !/GET \/v1/.test(document.querySelector('[aria-label="Calls"]')?.textContent ?? ''),
    );
    await page.getByRole('button', { name: 'Pause' }).click();
    await page.getByRole('button', { name: 'Go on' }).waitFor();
    expect(await page.getByRole('region', { name: 'By route' }).innerText()).toContain('POST /v1/posts');
    await page.getByRole('heading', { name: 'Statements that took longest in all' }).waitFor();
    const background = page.getByRole('region', { name: 'In the background' });
    await background.getByText('erase deleted accounts').waitFor();
    // The page stands still, and so do its figures of the service: the post was alone in its batch.
    await page.getByRole('region', { name: 'Connections to the database' }).getByText('calls, prepared').waitFor();
    await page
      .getByRole('region', { name: 'Writes that are combined' })
      .getByRole('row', { name: /^posts \d+ 1\.0$/ })
      .waitFor();
    await page.getByRole('region', { name: 'Standbys' }).getByText('None is configured').waitFor();
    await page
      .getByRole('region', { name: 'Processes' })
      .getByRole('row', { name: /^Memory \d+ MB$/ })
      .waitFor();
    await calls.getByRole('link', { name: 'POST /v1/posts' }).first().click();
    await page.getByRole('heading', { name: 'POST /v1/posts' }).waitFor();
    await page.getByRole('region', { name: 'Rows of posts' }).getByText('For everybody to see.').waitFor();
  });
});
