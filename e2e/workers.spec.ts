import { readFileSync } from 'node:fs';
import { expect, type Page, test, type Worker } from '@playwright/test';
import { CAPTURE, downloadBy, drawLightly, dropFile, expectSaved, openDemo, type } from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

/** The worker of a kind that runs. */
async function workerOf(page: Page, kind: string): Promise<Worker> {
  const find = () =>
    page
      .workers()
      .filter((worker) => worker.url().includes(`${kind}.worker`))
      .at(-1);
  await expect.poll(() => find() !== undefined).toBe(true);
  return find()!;
}

/** Lets a worker answer nothing any more, and note what it was asked last. */
const hang = (worker: Worker): Promise<void> =>
  worker.evaluate(() => {
    self.postMessage = () => undefined;
    self.addEventListener('message', ({ data }) => {
      if (data.path) self.name = data.path.join();
    });
  });

const expectAsked = (worker: Worker, what: string): Promise<void> =>
  expect.poll(() => worker.evaluate(() => self.name)).toBe(what);

/** Ends a worker as the browser does where memory runs out: without a word. */
const kill = (worker: Worker): Promise<void> => worker.evaluate(() => self.close());

const notice = (page: Page, text: string | RegExp) =>
  page.getByRole('status').filter({ hasText: text }).first();

test('a worker that ends in the middle of its work is told of, and the next work is done', async ({
  page,
}) => {
  await openDemo(page);
  await expectSaved(page);

  // While a capture is brought in: nothing comes of it, and it comes in the next time.
  const takes = page.getByRole('list', { name: 'Takes' });
  await page.getByRole('link', { name: 'Takes' }).click();
  await expect(takes.getByRole('listitem')).not.toHaveCount(0);
  const before = await takes.getByRole('listitem').count();
  const capture = readFileSync(CAPTURE);
  const reader = await workerOf(page, 'import');
  await hang(reader);
  await dropFile(page, '01_01.bvh', capture);
  await expect(page.getByText('Opening 01_01.bvh …')).toBeVisible();
  await kill(reader);
  await expect(notice(page, 'The take was not brought in')).toContainText('ended by the browser');
  await expect(takes.getByRole('listitem')).toHaveCount(before);
  await dropFile(page, '01_01.bvh', capture);
  await expect(takes.getByRole('listitem')).toHaveCount(before + 2);

  // While the motion is looked over.
  await page.getByRole('link', { name: 'Layers' }).click();
  await page.getByRole('tab', { name: /^Findings/ }).click();
  const panel = page.getByRole('region', { name: 'Findings' });
  await expect(panel.getByText('Looking over the motion …')).toHaveCount(0);
  const checker = await workerOf(page, 'check');
  await hang(checker);
  await page.getByRole('button', { name: 'Mute Weary lean' }).click();
  // It is asked a moment after the last change: the lane's state says that the edit was done.
  await expectSaved(page);
  await kill(checker);
  await expect(panel.getByRole('alert')).toContainText('ended by the browser');
  await panel.getByRole('button', { name: 'Look again' }).click();
  await expect(panel.getByRole('alert')).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();

  // While a take is made of another: it plays what it played, and is made when it is asked for once more.
  await page.getByRole('link', { name: 'Takes' }).click();
  await takes.getByRole('button', { name: 'Choose suit-walk, fitted, made of suit-walk' }).click();
  const chosen = page.getByRole('region', { name: 'Chosen take' });
  await expect(chosen).toContainText('121 samples');
  const maker = await workerOf(page, 'import');
  await hang(maker);
  await type(chosen.getByRole('spinbutton', { name: 'Samples a second' }), '60');
  await expect(chosen).toContainText('making …');
  await expectAsked(maker, 'make');
  await kill(maker);
  await expect(notice(page, 'was not made')).toContainText('ended by the browser');
  await chosen.getByRole('button', { name: 'try again' }).click();
  await expect(chosen).toContainText('241 samples');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(chosen).toContainText('121 samples');

  // While layers are merged: nothing has happened, and the next try comes to its end.
  await page.getByRole('link', { name: 'Layers' }).click();
  await expect(page.getByRole('button', { name: 'Mute Weary lean' })).toBeVisible();
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox').last().fill('Merge everything');
  await page.keyboard.press('Enter');
  const merge = page.getByRole('region', { name: 'Merge layers' });
  const comesOut = merge.getByRole('status', { name: 'What comes out' });
  await expect(comesOut).toBeVisible();
  const merger = await workerOf(page, 'bake');
  await hang(merger);
  await merge.getByRole('button', { name: 'every frame' }).click();
  await expect(comesOut).toBeHidden();
  await expectAsked(merger, 'merge');
  await kill(merger);
  await expect(merge.getByRole('alert')).toContainText('ended by the browser');
  await merge.getByRole('button', { name: 'try again' }).click();
  await expect(comesOut).toContainText('every frame');
  await page.keyboard.press('Escape');

  // While it bakes: the one that leads, then one of those that share the work.
  await page.getByRole('link', { name: 'Bake' }).click();
  const bake = page.getByRole('button', { name: 'Bake to GLB' });
  const good = await downloadBy(page, () => bake.click());
  for (const kind of ['bake', 'block']) {
    const worker = await workerOf(page, kind);
    await hang(worker);
    await bake.click();
    await expect(page.getByRole('progressbar', { name: 'Baking' })).toBeVisible();
    await kill(worker);
    await expect(notice(page, 'The bake failed')).toContainText('ended by the browser');
    await notice(page, 'The bake failed').getByRole('button', { name: 'Close the notice' }).click();
    await expect(bake).toBeEnabled();
    const again = await downloadBy(page, () => bake.click());
    expect(Buffer.compare(again.bytes, good.bytes)).toBe(0);
  }

  // Where a server does not let workers share memory, each is sent its own samples: the bake is the same.
  const isShared = () => page.evaluate(() => crossOriginIsolated);
  expect(await isShared()).toBe(true);
  await page.route(/\/p\//, async (route) => {
    const response = await route.fetch();
    const { 'cross-origin-embedder-policy': _, ...headers } = response.headers();
    await route.fulfill({ response, headers });
  });
  await page.reload();
  await expect(bake).toBeEnabled();
  expect(await isShared()).toBe(false);
  const sent = await downloadBy(page, () => bake.click());
  expect(Buffer.compare(sent.bytes, good.bytes)).toBe(0);
});
