import type { Page } from 'playwright-core';

/** How the tests start Chromium: without a screen, and without calling home. */
export const FLAGS = [
  '--headless',
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];

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
