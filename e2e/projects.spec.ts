import { readProject } from '@evlay/core/format';
import { expect, test } from '@playwright/test';
import { downloadBy, drawLightly, dropFile, expectAccessible, expectSaved, openDemo } from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

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
  expect(project.character?.bytes.length).toBeGreaterThan(100_000);

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
