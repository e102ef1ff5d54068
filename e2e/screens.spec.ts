import { expect, type Page, test } from '@playwright/test';
import { axeFaults, drawLightly, expectDrawn, openDemo } from './app.js';
import { layoutFaults } from './screens.js';

/** The last is 1280 × 800 at one and a half times the size. */
const SIZES = [
  { width: 1024, height: 700 },
  { width: 1280, height: 800 },
  { width: 1920, height: 1080 },
  { width: 853, height: 533 },
];

/** Looks at what is shown at every size; contrast and names once. */
async function look(page: Page, what: string, axe: boolean): Promise<string[]> {
  const faults: string[] = [];
  for (const size of SIZES) {
    await page.setViewportSize(size);
    // Panels measure themselves, and lanes come a few at a time.
    await page.waitForFunction(() => document.getAnimations().length === 0);
    await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => setTimeout(done, 120))));
    for (const fault of await layoutFaults(page))
      faults.push(`${what}, ${size.width} × ${size.height}: ${fault}`);
  }
  await page.setViewportSize(SIZES[1]);
  if (axe) for (const fault of await axeFaults(page)) faults.push(`${what}: ${fault}`);
  return faults;
}

/** Faults of each kind that are put on the page, and are to be found. */
const PLANTED = `
  <div style="position:fixed;left:40px;top:200px;z-index:99;width:60px;overflow:hidden;white-space:nowrap">a planted text that is cut</div>
  <div style="position:fixed;left:40px;top:240px;z-index:99;width:30px;word-break:break-all">planted 1234567890.5</div>
  <button style="position:fixed;left:-30px;top:280px;z-index:99;width:80px">planted outside</button>
  <button style="position:fixed;left:40px;top:320px;z-index:98;width:90px">planted below</button>
  <div style="position:fixed;left:40px;top:310px;z-index:99;width:90px;height:60px"></div>`;

const command = async (page: Page, name: string) => {
  await page.keyboard.press('Control+k');
  await page.getByRole('dialog').getByRole('combobox').fill(name);
  await page.keyboard.press('Enter');
};

for (const theme of ['dark', 'light'] as const)
  test(`every screen, tab, panel and menu fits every size: ${theme}`, async ({ page }) => {
    await drawLightly(page);
    await page.emulateMedia({ colorScheme: theme, reducedMotion: 'reduce' });
    const faults: string[] = [];
    const see = async (what: string, axe = true) => void faults.push(...(await look(page, what, axe)));
    await page.goto('/');
    await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
    await see('Projects, empty');
    await openDemo(page);
    for (const tab of ['Layer', 'Joint', 'Poses', 'Findings']) {
      await page.getByRole('tab', { name: new RegExp(`^${tab}`) }).click();
      await see(`the tab ${tab}`);
    }
    await page.getByRole('tab', { name: 'Layer' }).click();
    await page.keyboard.press('c');
    await see('curves');
    await page.keyboard.press('c');
    for (const [name, panel] of [
      ['Merge with the layer below', 'Merge layers'],
      ['Compare before', 'Compare'],
      ['Make a film', 'Film'],
      ['Show the notes', 'Notes'],
      ['Make a review file', 'Review file'],
    ]) {
      await command(page, name);
      await expect(page.getByRole('region', { name: panel })).toBeVisible();
      await see(panel);
      await page.getByRole('region', { name: panel }).press('Escape');
    }
    await page.getByRole('button', { name: /^Lantern arm\b/ }).click({ button: 'right' });
    await expect(page.getByRole('menu').first()).toBeVisible();
    await see('the menu of a layer', false);
    await page.keyboard.press('Escape');
    await page.keyboard.press('Control+k');
    await expect(page.getByRole('dialog')).toBeVisible();
    await see('the palette');
    await page.keyboard.press('Escape');
    await page.getByRole('link', { name: 'Takes' }).click();
    await expectDrawn(page, false);
    await see('Takes');
    await page.getByRole('link', { name: 'Bake' }).click();
    await expect(page.getByRole('button', { name: /^Bake to/ })).toBeVisible();
    await see('Bake');
    await page.goto('/help');
    await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
    await see('Help');
    await page.goto('/');
    await expect(page.getByRole('listitem').first()).toBeVisible();
    await see('Projects');
    expect(faults).toEqual([]);
    // The look itself finds what is wrong.
    await page.evaluate((planted) => document.body.insertAdjacentHTML('beforeend', planted), PLANTED);
    const found = (await layoutFaults(page)).filter((fault) => fault.includes('planted'));
    expect(found.map((fault) => fault.split(/:| lies/)[0])).toEqual([
      'cut',
      'a number wraps',
      'outside the window',
      'planted below',
    ]);
  });
