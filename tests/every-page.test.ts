import { expect, test } from '@jest/globals';
import { actAs, asOperator, open, openWindow, page, useConsole } from './browser.js';

useConsole();

/** Each page that the bar leads to, or a page leads on to, and what of it shows that it is there. */
const PAGES: readonly (readonly [string, string])[] = [
  ['/', 'Overview'],
  ['/feed', 'Following feed'],
  ['/feed?order=score&closely=', 'How this page is read'],
  ['/model', 'Model'],
  ['/model/follows', 'follows'],
  ['/hashtags', 'Liveliest'],
  ['/hashtags/locks?order=score', 'people'],
  ['/weighting', 'Over the first pages of'],
  ['/ownership', 'Ownership'],
  ['/mailbox', 'Mailbox'],
  ['/notifications', 'Notifications'],
  ['/calls', 'Calls'],
  ['/calls?call=POST+%2Fv1%2Fposts', 'Post something'],
  ['/walks', 'Walks'],
  ['/activity', 'Activity'],
  ['/account', 'Account'],
  ['/users/@bram', '@bram'],
  ['/users/@bram/followers', '@bram'],
];
const PHONE = { width: 390, height: 800 };
/** WCAG 2.2, success criterion 1.4.3: text against what is behind it; large text needs less. */
const CONTRAST = 4.5;
const CONTRAST_LARGE = 3;

/** Texts that are too faint on what is behind them, with their ratio; those of controls that are off are exempt. */
const faintTexts = () =>
  page.evaluate(
    ([usual, large]) => {
      const canvas = document.createElement('canvas').getContext('2d', { willReadFrequently: true })!;
      // Whatever way a colour is written in, the canvas knows it.
      const known = new Map<string, number[]>();
      const read = (colour: string): number[] => {
        let values = known.get(colour);
        if (!values) {
          canvas.clearRect(0, 0, 1, 1);
          canvas.fillStyle = colour;
          canvas.fillRect(0, 0, 1, 1);
          known.set(colour, (values = [...canvas.getImageData(0, 0, 1, 1).data]));
        }
        return values;
      };
      const over = ([r, g, b, a]: number[], under: number[]) =>
        [r, g, b].map((value, i) => (value! * a! + under[i]! * (255 - a!)) / 255);
      const behind = (element: Element | null): number[] => {
        if (!element) return [255, 255, 255];
        const colour = read(getComputedStyle(element).backgroundColor);
        return colour[3] === 255 ? colour.slice(0, 3) : over(colour, behind(element.parentElement));
      };
      const light = (colour: number[]) => {
        const [r, g, b] = colour.map((value) =>
          value / 255 <= 0.04045 ? value / 255 / 12.92 : ((value / 255 + 0.055) / 1.055) ** 2.4,
        );
        return 0.2126 * r! + 0.7152 * g! + 0.0722 * b!;
      };
      const faint: string[] = [];
      const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
      while (walker.nextNode()) {
        const element = walker.currentNode.parentElement!;
        const text = walker.currentNode.textContent!.trim();
        const exempt = element.closest(
          ':disabled, [aria-disabled=true], .Mui-disabled, script, style, noscript, svg, [aria-hidden=true]',
        );
        if (!text || exempt || !element.checkVisibility({ opacityProperty: true, visibilityProperty: true })) continue;
        const style = getComputedStyle(element);
        const ground = behind(element);
        const [one, other] = [light(over(read(style.color), ground)), light(ground)];
        const ratio = (Math.max(one, other) + 0.05) / (Math.min(one, other) + 0.05);
        const size = parseFloat(style.fontSize);
        const least = size >= 24 || (size >= 18.66 && Number(style.fontWeight) >= 700) ? large! : usual!;
        if (ratio < least) faint.push(`${ratio.toFixed(2)} ${style.color} ${text.slice(0, 40)}`);
      }
      return [...new Set(faint)];
    },
    [CONTRAST, CONTRAST_LARGE],
  );

/** How much still moves, though less motion is asked for. */
const moving = () =>
  page.evaluate(
    () => document.getAnimations().filter(({ effect }) => Number(effect?.getComputedTiming().duration) > 1).length,
  );

/** Controls that have no name for whoever cannot see them. */
const namelessControls = async () => {
  const nameless: string[] = [];
  for (const role of ['button', 'link', 'textbox', 'combobox', 'slider', 'checkbox', 'switch'] as const)
    for (const control of await page.getByRole(role, { name: /^\s*$/ }).all())
      nameless.push(`${role} ${await control.innerHTML()}`);
  return nameless;
};

/** What is wrong with the page as it is now, or null. */
async function faultsNow() {
  const wide = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
  const [headings, moves] = [await page.getByRole('heading', { level: 1 }).count(), await moving()];
  const [faint, nameless] = [await faintTexts(), await namelessControls()];
  const isGood = wide <= 0 && headings === 1 && moves === 0 && faint.length === 0 && nameless.length === 0;
  return isGood ? null : { wide, headings, moves, faint, nameless };
}

/** What stays wrong with the page, however often one looks; what it shows while it loads may be otherwise. */
async function faults() {
  const LOOKS = 20;
  let found = await faultsNow();
  for (let looks = 1; found && looks < LOOKS; looks++) found = await faultsNow();
  return found;
}

/** The page has taken over what the browser asks for: its ground is light, or dark. */
const drawnAs = (colorScheme: 'light' | 'dark') =>
  page.waitForFunction((wanted) => {
    const [red = 0, green = 0, blue = 0] = getComputedStyle(document.body)
      .backgroundColor.match(/[\d.]+/g)!
      .map(Number);
    return red + green + blue > 384 === (wanted === 'light');
  }, colorScheme);

test('every page at phone width, light and dark, can be read, scrolls up and down alone, and names its controls', async () => {
  await openWindow({ viewport: PHONE });
  await asOperator();
  await actAs(page, 'odile');
  const found: Record<string, unknown> = {};
  const grounds = new Set<string>();
  for (const [path, sign] of PAGES) {
    await open(path);
    await page.getByRole('main').getByText(sign).first().waitFor();
    await page.waitForLoadState('networkidle');
    for (const colorScheme of ['light', 'dark'] as const) {
      await page.emulateMedia({ colorScheme });
      await drawnAs(colorScheme);
      const wrong = await faults();
      if (wrong) found[`${path}, ${colorScheme}`] = wrong;
      grounds.add(`${colorScheme} ${await page.evaluate(() => getComputedStyle(document.body).backgroundColor)}`);
    }
  }
  expect(found).toEqual({});
  // Each is drawn on a ground of its own, the same on every page.
  expect(grounds.size).toBe(2);
});
