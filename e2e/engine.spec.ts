import { readFileSync } from 'node:fs';
import { readProject } from '@evlay/core/format';
import { expect, type Page, test } from '@playwright/test';
import {
  bakedByCommand,
  CAPTURE,
  downloadBy,
  dragHandles,
  drawLightly,
  expectKeys,
  expectSaved,
  goToFrame,
  lane,
  openDropped,
  pickPart,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

test('axes, loops and takes as layers; the bake is that of the command line to the bit, and leaves the page free', async ({
  page,
}) => {
  await openDropped(page, CAPTURE);
  const panel = page.getByRole('region', { name: 'Lit layer' });

  // A change in the axes of the character, looped over two keys.
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await panel.getByRole('button', { name: 'character' }).click();
  await pickPart(page, 'head');
  await goToFrame(page, 20);
  await dragHandles(page, 'Head', -40, 0);
  await goToFrame(page, 60);
  await dragHandles(page, 'Head', 40, 0);
  await expectKeys(page, 'Additive 1', 20, 60);
  await panel.getByRole('button', { name: 'loop', exact: true }).click();
  await expect(panel.getByRole('button', { name: 'repeat', exact: true })).toHaveAttribute(
    'aria-pressed',
    'true',
  );
  await page.getByRole('spinbutton', { name: 'Cycle to own frame' }).press('Enter');
  await page.keyboard.type('140');
  await page.keyboard.press('Enter');

  // The capture again as a layer: backwards, half as fast, against its rest pose, at a third.
  await page.getByRole('button', { name: 'Add take layer' }).click();
  await page.getByRole('menuitem', { name: 'as additive layer' }).click();
  await panel.getByRole('button', { name: 'sample', exact: true }).click();
  await panel.getByRole('button', { name: 'shift' }).click();
  await page.getByRole('spinbutton', { name: 'Speed of the content' }).press('Enter');
  await page.keyboard.type('-0.5');
  await page.keyboard.press('Enter');
  await panel.getByRole('button', { name: 'travel' }).click();
  await page.getByRole('spinbutton', { name: 'Weight of the lit layer' }).press('Enter');
  await page.keyboard.type('0.3');
  await page.keyboard.press('Enter');
  await expectSaved(page);

  const exported = await downloadBy(page, () =>
    page.getByRole('button', { name: 'Export the project' }).click(),
  );
  const { project } = await readProject(exported.bytes, exported.name);
  expect(project.layers[1]).toMatchObject({ axes: 'character', time: { loop: 'repeat', cycle: [20, 140] } });
  expect(project.layers[2]).toMatchObject({
    mode: 'additive',
    weight: 0.3,
    content: { kind: 'take', take: project.takes[0].id, reference: 0 },
    time: { offset: 0, speed: -0.5, loop: 'travel' },
  });

  // Off the main thread, so that the page does other things between two reports of progress; and the same bits as in
  // Node.js.
  await page.getByRole('link', { name: 'Bake' }).click();
  await watchProgress(page);
  for (const format of ['bvh', 'glb']) {
    await page.getByRole('button', { name: format.toUpperCase(), exact: true }).click();
    const wanted = bakedByCommand(exported.name, exported.bytes, format);
    const baked = await downloadBy(page, () =>
      page.getByRole('button', { name: `Bake to ${format.toUpperCase()}` }).click(),
    );
    await expect(page.getByText(`downloaded as 01_01.${format}`)).toBeVisible();
    expect(Buffer.compare(Buffer.from(baked.bytes), wanted)).toBe(0);
    expect(await turnsBetweenReports(page)).toBeGreaterThan(3);
  }

  // A long one is stopped at once, and nothing is written.
  await page.getByRole('spinbutton', { name: 'Last frame to bake' }).press('Enter');
  await page.keyboard.type('900000');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Bake to GLB' }).click();
  await expect(page.getByRole('progressbar', { name: 'Baking' })).not.toHaveAttribute('aria-valuenow', '0');
  let downloads = 0;
  page.on('download', () => downloads++);
  await page.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByText('The bake was cancelled')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Bake to GLB' })).toBeEnabled();
  // The next bake waits for what the worker still had in hand, and is the only one that arrives.
  await page.getByRole('spinbutton', { name: 'Last frame to bake' }).press('Enter');
  await page.keyboard.type('10');
  await page.keyboard.press('Enter');
  await downloadBy(page, () => page.getByRole('button', { name: 'Bake to GLB' }).click());
  expect(downloads).toBe(1);

  // Everything is undone step by step, and comes back after a reload.
  await page.getByRole('link', { name: 'Layers' }).click();
  for (let k = 0; k < 6; k++) await page.getByRole('button', { name: 'Undo' }).click();
  const lanes = page.getByRole('list', { name: 'Layers, the topmost first' }).getByRole('listitem');
  await expect(lanes).toHaveCount(2);
  await expectSaved(page);
  await page.reload();
  for (let k = 0; k < 6; k++) await page.getByRole('button', { name: 'Redo' }).click();
  await expect(lanes).toHaveCount(3);
});

test('a take is brought in as a layer, undone and kept; one of another skeleton is fitted, a bad one refused', async ({
  page,
}) => {
  await openDropped(page, CAPTURE);
  const lanes = page.getByRole('list', { name: 'Layers, the topmost first' }).getByRole('listitem');
  const bring = (name: string, text: string | Buffer) =>
    page
      .getByLabel('Take to bring in')
      .setInputFiles({ name, mimeType: 'application/octet-stream', buffer: Buffer.from(text) });
  const [head, motion] = readFileSync(CAPTURE, 'utf8').split('MOTION');
  const rows = motion.trim().split(/\r?\n/);
  const short = (names: string) => `${names}MOTION\nFrames: 40\n${rows.slice(1, 42).join('\n')}\n`;

  await bring('broken.bvh', 'HIERARCHY\nROOT Hips\n{');
  await expect(page.getByText(/broken.bvh: line \d+/)).toBeVisible();
  await bring('stranger.bvh', short(head.replace(/(ROOT|JOINT) /g, '$1 x')));
  // Names that say nothing: it is fitted by the shape of its skeleton, in one step.
  await expect(page.getByText(/It was fitted to the character; \d+ of 31 joints/)).toBeVisible();
  await expect(lanes).toHaveCount(2);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(lanes).toHaveCount(1);

  await bring('breath.bvh', short(head.replace('JOINT Head', 'JOINT Skull')));
  await expect(page.getByText(/1 of its 31 joints are not in this character.*Skull/)).toBeVisible();
  await expect(lanes).toHaveCount(2);
  await expect(lane(page, 'breath')).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(lanes).toHaveCount(1);
  await expectSaved(page);
  // The take of a step that was undone is kept with the step.
  await page.reload();
  await page.getByRole('button', { name: 'Redo' }).click();
  await page
    .getByRole('button', { name: /breath/ })
    .first()
    .click();
  await expect(page.getByRole('region', { name: 'Lit layer' })).toContainText(/take.*breath/);
});

/** Counts the turns of the page's event loop, and notes at which of them progress was shown. */
const watchProgress = (page: Page): Promise<void> =>
  page.evaluate(() => {
    let turn = 0;
    const shown = new Set<number>();
    Object.assign(window, { shown });
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = () => {
      turn++;
      setTimeout(() => port2.postMessage(undefined));
    };
    port2.postMessage(undefined);
    new MutationObserver(() => shown.add(turn)).observe(document.body, {
      subtree: true,
      attributeFilter: ['aria-valuenow'],
    });
  });

/** In how many different turns progress was shown since the last time it was asked. */
const turnsBetweenReports = (page: Page): Promise<number> =>
  page.evaluate(() => {
    const { shown } = window as unknown as { shown: Set<number> };
    const count = shown.size;
    shown.clear();
    return count;
  });
