import { readFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';
import { readProject, writeProject } from '@evlay/core/format';
import { expect, type Page, test } from '@playwright/test';
import {
  CAPTURE,
  downloadBy,
  drawLightly,
  dropFile,
  expectAccessible,
  expectDrawn,
  expectSaved,
  openDemo,
  openDropped,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

test('little script is fetched before Projects is seen', () => {
  const dist = 'apps/web/dist';
  const html = readFileSync(`${dist}/index.html`, 'utf8');
  const scripts = [...new Set(html.match(/\/assets\/[^"]+\.js/g))];
  const bytes = scripts.reduce((sum, name) => sum + gzipSync(readFileSync(dist + name)).length, 0);
  expect(scripts.length).toBeGreaterThan(1);
  expect(bytes).toBeLessThan(350_000);
});

test('a first start offers the demo; projects are renamed, copied, deleted, brought back, exported and imported', async ({
  page,
}) => {
  await page.goto('/');
  await expect(page.getByText('Put layers on a performance')).toBeVisible();
  await expectAccessible(page);
  await openDemo(page);
  await expectSaved(page);
  await page.getByRole('link', { name: 'evlay' }).click();
  const cards = page.getByRole('main').getByRole('listitem');
  await expect(cards).toHaveCount(1);
  await expect(cards.first()).toContainText('Lamp-lighting');
  await expectAccessible(page);

  const menu = async (project: string, item: string) => {
    await page.getByRole('button', { name: `More for ${project}`, exact: true }).click();
    // Another card's menu may still be on its way out.
    const open = page.getByRole('menu', { name: `More for ${project}`, exact: true });
    await open.getByRole('menuitem', { name: item }).click();
  };
  await menu('Lamp-lighting', 'Rename');
  await page.getByLabel('Name of the project').fill('Evening round');
  await page.keyboard.press('Enter');
  await expect(cards.first()).toContainText('Evening round');

  await menu('Evening round', 'Duplicate');
  await expect(cards).toHaveCount(2);
  await menu('Evening round copy', 'Delete');
  await expect(cards).toHaveCount(1);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(cards).toHaveCount(2);

  const exported = await downloadBy(page, () => menu('Evening round', 'Export'));
  expect(exported.name).toBe('Evening round.evlay');
  const { project } = await readProject(exported.bytes, exported.name);
  expect(project.layers.map((layer) => layer.name)).toEqual([
    'Walk',
    'Weary lean',
    'Lantern arm',
    'Glance at the gulls',
  ]);
  expect(project.scene.characters[0].figure?.bytes.length).toBeGreaterThan(100_000);

  // Deleting the original leaves the copy whole: both stand on the same takes.
  await menu('Evening round', 'Delete');
  await expect(cards).toHaveCount(1);
  await page.reload();
  await expect(cards).toHaveCount(1);
  await page.getByRole('button', { name: 'Open Evening round copy' }).click();
  await expect(page.getByRole('button', { name: /Weary lean/ }).first()).toBeVisible();

  await dropFile(page, exported.name, exported.bytes);
  await expect(page.getByLabel('Name of the project')).toHaveValue('Evening round');
});

test('what is done is there after a reload, however soon it comes; after an import too', async ({ page }) => {
  await openDropped(page, CAPTURE);
  const name = page.getByLabel('Name of the project');
  await page.reload();
  await expect(name).toHaveValue('01_01');
  await page.getByRole('link', { name: 'Bake' }).click();
  for (let k = 0; k < 8; k++) {
    await name.fill(`Round ${k}`);
    await name.press('Enter');
    if (k % 2 === 1) await expect(page.getByText('saved ✓')).toBeVisible();
    await page.reload();
    await expect(name).toHaveValue(`Round ${k}`);
  }
  for (let k = 6; k >= 0; k--) {
    await page.getByRole('button', { name: 'Undo' }).click();
    await expect(name).toHaveValue(`Round ${k}`);
  }
});

test('a second tab looks on, says so, and can take the project over; what is open is not deleted', async ({
  page,
  context,
}) => {
  await openDropped(page, CAPTURE);
  await page.getByRole('link', { name: 'Bake' }).click();
  const second = await context.newPage();
  await second.goto(page.url());
  await expect(second.getByText('open in another tab: only to look at')).toBeVisible();
  // It cannot be changed there, and says why.
  const name = (tab: Page) => tab.getByLabel('Name of the project');
  await name(second).fill('Not so');
  await name(second).press('Enter');
  await expect(second.getByText(/Another tab has the project open/)).toBeVisible();
  await expect(name(second)).toHaveValue('01_01');
  await name(page).fill('First');
  await name(page).press('Enter');

  const third = await context.newPage();
  await third.goto('/');
  await third.getByRole('button', { name: /^More for/ }).click();
  await third.getByRole('menuitem', { name: 'Delete' }).click();
  await expect(third.getByText(/is open in another tab. Close it there first/)).toBeVisible();
  await expect(third.getByRole('main').getByRole('listitem')).toHaveCount(1);

  await second.getByRole('button', { name: 'take it over', exact: true }).click();
  await expect(name(second)).toHaveValue('First');
  await expect(page.getByText('open in another tab: only to look at')).toBeVisible();
  await name(second).fill('Second');
  await name(second).press('Enter');
  await expect(second.getByText('saved ✓')).toBeVisible();
  await second.close();
  await page.reload();
  await expect(name(page)).toHaveValue('Second');
  await expect(page.getByText('saved ✓')).toBeVisible();
});

test('a part of the screen that fails says so; the others go on, and the project can be exported', async ({
  page,
}) => {
  await page.addInitScript(() => {
    const getContext = HTMLCanvasElement.prototype.getContext as (kind: string) => unknown;
    Object.assign(HTMLCanvasElement.prototype, {
      getContext(this: HTMLCanvasElement, kind: string, ...rest: []) {
        if (kind === '2d' && !('whole' in window)) throw new Error('no room for a drawing');
        return getContext.call(this, kind, ...rest);
      },
    });
  });
  await openDropped(page, CAPTURE);
  const alert = page.getByRole('alert').filter({ hasText: 'The lanes cannot be shown' });
  await expect(alert).toContainText('no room for a drawing');
  await expect(page.getByRole('slider', { name: /^head/ })).toBeVisible();
  const exported = await downloadBy(page, () =>
    alert.getByRole('button', { name: 'Export the project' }).click(),
  );
  expect((await readProject(exported.bytes, exported.name)).project.takes.length).toBe(1);
  await page.evaluate(() => Object.assign(window, { whole: true }));
  await alert.getByRole('button', { name: 'Show it again' }).click();
  await expect(page.getByRole('list', { name: 'Layers, the topmost first' })).toBeVisible();

  // A part may have any name.
  const { project } = await readProject(exported.bytes, exported.name);
  const odd = `the "right" arm's (end)`;
  const parts = project.parts.map((part) => (part === 'rightArm' ? odd : part));
  await dropFile(page, 'odd.evlay', writeProject({ ...project, parts }));
  await expect(page.getByLabel('Name of the project')).toHaveValue('01_01');
  const part = page.getByRole('slider', { name: /^the "right" arm/ });
  await part.press('Enter');
  await expect(page.locator('[data-joint]')).toHaveAttribute('data-joint', /^Right/);
});

test('a damaged project is listed and says so; the others are as they were', async ({ page }) => {
  await openDropped(page, CAPTURE);
  await expect(page.getByText('saved ✓')).toBeVisible();
  await page.evaluate(
    () =>
      new Promise<void>((resolve, reject) => {
        const open = indexedDB.open('evlay');
        open.onerror = () => reject(open.error);
        open.onsuccess = () => {
          const store = open.result.transaction('projects', 'readwrite').objectStore('projects');
          store.put({ name: 'Half a record' }, 'half').onsuccess = () => resolve();
        };
      }),
  );
  await page.goto('/');
  const cards = page.getByRole('main').getByRole('listitem');
  await expect(cards).toHaveCount(2);
  await expect(cards.filter({ hasText: 'Half a record' })).toContainText('part of it cannot be read');
  await page.getByRole('button', { name: 'Open Half a record' }).click();
  await expect(page.getByRole('alert')).toContainText('record cannot be read');
  await page.getByRole('link', { name: 'Back to the projects' }).click();
  await page.getByRole('button', { name: 'Open 01_01' }).click();
  await expectDrawn(page);
  await expect(page.getByText('saved ✓')).toBeVisible();
});

test('an address that leads nowhere says so', async ({ page }) => {
  await page.goto('/nowhere/at/all');
  await expect(page.getByRole('alert')).toContainText('There is nothing at this address');
  await page.getByRole('link', { name: 'Back to the projects' }).click();
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
});

test('an address of a project that is not here says so', async ({ page }) => {
  await page.goto('/p/nothing');
  await expect(page.getByRole('alert')).toContainText('no such project');
  await page.getByRole('link', { name: 'Back to the projects' }).click();
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
});

test('storage that is blocked: the header says so, and the project can still be exported', async ({
  page,
}) => {
  await page.addInitScript(() => {
    const full = () => {
      throw new DOMException('full', 'QuotaExceededError');
    };
    IDBObjectStore.prototype.put = full;
  });
  await openDemo(page);
  await expect(page.getByRole('alert')).toContainText('not saved: this browser’s storage is full');
  await page.getByRole('button', { name: 'Mute Weary lean' }).click();
  await expect(page.getByRole('alert')).toContainText('not saved');
  const exported = await downloadBy(page, () => page.getByRole('button', { name: 'export it' }).click());
  const { project } = await readProject(exported.bytes, exported.name);
  expect(project.layers[1].muted).toBe(true);
});
