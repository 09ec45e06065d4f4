import { afterAll, afterEach, beforeAll, beforeEach, expect } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { chromium, type Browser, type BrowserContext, type BrowserContextOptions, type Page } from 'playwright-core';
import { Documented } from '../packages/server/src/tests/documented.js';
import { startDemo, type DemoService } from './demo-service.js';

/**
 * How the tests start Chromium: without a screen, and without calling home. Each page is gone before its scripts would be worth optimising,
 * and other suites have work for every processor.
 */
const FLAGS = [
  '--headless',
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--js-flags=--interrupt-budget=1000000 --single-threaded-gc',
];
/** The demo's service that this suite's pages are of. */
export let service: DemoService;
/** A context of its own for each test: nobody is signed in there. */
export let context: BrowserContext;
/** The test's page. A failure in its scripts fails the test. */
export let page: Page;
let browser: Browser;
let failures: string[];
let documented: Documented;

/** Starts the demo, with a model file or without, and Chromium for this suite; each test gets a fresh `page`. */
export function useConsole(model?: string): void {
  beforeAll(async () => {
    service = await startDemo(model);
    const document = (await (await fetch(`${service.address}/v1/openapi.json`)).json()) as {
      paths: ReturnType<ConstructorParameters<typeof Documented>[0]>;
    };
    documented = new Documented(() => document.paths);
    browser = await chromium.launch({ executablePath: '/usr/bin/chromium-headless-shell', args: FLAGS });
  });
  afterAll(async () => {
    await browser.close();
    await service.end();
  });
  beforeEach(() => openWindow({ viewport: { width: 1280, height: 800 } }));
  afterEach(async () => {
    await context.close();
    expect(failures).toEqual([]);
  });
}

/** Opens another window in place of the one that is open, with nothing kept. */
export async function openWindow(options: BrowserContextOptions): Promise<void> {
  await context?.close();
  // Nothing moves by degrees: a test sees what a page comes to, not what is on the way there.
  context = await browser.newContext({ reducedMotion: 'reduce', ...options });
  // Long, since a busy machine is no failure: what never comes ends here.
  context.setDefaultTimeout(90_000);
  failures = [];
  await openTab();
}

/** Opens another tab in the same window in place of the one that is open. */
export async function openTab(): Promise<void> {
  await page?.close();
  page = await context.newPage();
  page.on('pageerror', (error) => failures.push(error.message));
  // What the console gets and the API document does not say fails the test, too.
  page.on('response', (reply) => {
    const { origin, pathname } = new URL(reply.url());
    if (origin !== service.address) return;
    const method = reply.request().method();
    const fault = documented.faultOf(method, documented.pathOf(pathname), reply.status(), Object.keys(reply.headers()));
    if (fault) failures.push(fault);
  });
}

/** Opens a page of the console. */
export const open = (path: string) => page.goto(service.address + path);

/** Makes this browser the operator's. */
export async function asOperator(): Promise<void> {
  await open(`/#operator-key=${readFileSync(service.operatorKey, 'utf8').trim()}`);
  await page.getByText('This browser is the operator now.').waitFor();
}

/** Chooses in the console's bar whom it acts as, and waits until it does. */
export async function actAs(page: Page, handle: string): Promise<void> {
  const box = page.getByRole('combobox', { name: 'Acting as' });
  await box.click();
  await box.fill(handle);
  await page
    .getByRole('option', { name: `@${handle}` })
    .first()
    .click();
  await page.getByText(`Acting as @${handle}.`).waitFor();
}

/** The posts that the page shows. */
export const posts = () => page.getByRole('article', { name: /^Post by/ });
