import { readFileSync } from 'node:fs';
import { projectFromTake } from '@evlay/core/edit';
import { readProject, readTake } from '@evlay/core/format';
import { rigHeight } from '@evlay/core/rig';
import { expect, test } from '@playwright/test';
import {
  CAPTURE,
  downloadBy,
  dragHandles,
  drawLightly,
  expectKeys,
  expectSaved,
  farthest,
  goToFrame,
  lane,
  openDropped,
  pickPart,
  positionsAt,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

const LEGS = ['LeftUpLeg', 'LeftLeg', 'LeftFoot', 'LeftToeBase', 'RightUpLeg', 'RightLeg', 'RightFoot'];

test('from a capture to a baked clip', async ({ page }) => {
  await openDropped(page, CAPTURE);
  await expect(page.getByRole('spinbutton', { name: 'Last frame of the range' })).toHaveText('2751');

  // An additive layer turns the head, by one key.
  await goToFrame(page, 300);
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await pickPart(page, 'head');
  await dragHandles(page, 'Head', 50, 12);
  await expect(page.getByRole('region', { name: 'Lit layer' })).toContainText(
    'with keys on the rotation of Head',
  );
  await expectKeys(page, 'Additive 1', 300);

  // An override layer holds the right arm; its weight is drawn.
  await page.keyboard.press('Escape');
  await goToFrame(page, 600);
  await page.getByRole('button', { name: 'Add override layer' }).click();
  await pickPart(page, 'right arm');
  await page.getByRole('button', { name: 'Limit the layer to the picked parts' }).click();
  await page.getByRole('button', { name: 'whole range' }).click();
  await page.getByRole('button', { name: 'Draw the weight of the lit layer' }).click();
  const track = (await lane(page, 'Override 1').locator('svg').last().boundingBox())!;
  const at = (share: number, height: number) =>
    [track.x + share * track.width, track.y + (1 - height) * track.height] as const;
  await page.mouse.move(...at(0.12, 0.06));
  await page.mouse.down();
  for (const [share, height] of [
    [0.2, 0.5],
    [0.26, 0.95],
    [0.34, 0.95],
    [0.42, 0.4],
    [0.5, -0.1],
  ]) {
    await page.mouse.move(...at(share, height), { steps: 3 });
  }
  await page.mouse.up();
  await page.getByRole('button', { name: 'Draw the weight of the lit layer' }).click();
  await expect(page.getByRole('region', { name: 'Lit layer' })).toContainText(/weight.*\d+ keys/);

  // It plays at its own rate, past React.
  await page.keyboard.press('Home');
  await page.keyboard.press('Space');
  await expect(page.getByRole('button', { name: 'Pause' })).toBeVisible();
  await expect
    .poll(async () => Number(await page.getByLabel('Frame', { exact: true }).textContent()))
    .toBeGreaterThan(100);
  await page.keyboard.press('Space');
  await expect(page.getByRole('button', { name: 'Play', exact: true })).toBeVisible();
  await expectSaved(page);

  const exported = await downloadBy(page, () =>
    page.getByRole('button', { name: 'Export the project' }).click(),
  );
  const { project } = await readProject(exported.bytes, exported.name);
  expect(project.layers.map((layer) => layer.name)).toEqual(['Base', 'Additive 1', 'Override 1']);

  // The baked file is what the core evaluates, and the capture where no layer acts.
  await page.getByRole('link', { name: 'Bake' }).click();
  const baked = await downloadBy(page, () => page.getByRole('button', { name: 'Bake to BVH' }).click());
  expect(baked.name).toBe('01_01.bvh');
  const result = projectFromTake(readTake(baked.name, baked.bytes).take);
  const original = projectFromTake(readTake('01_01.bvh', readFileSync(CAPTURE)).take);
  expect(result.rig.joints.map(({ name, parent }) => [name, parent])).toEqual(
    original.rig.joints.map(({ name, parent }) => [name, parent]),
  );
  const limit = 1e-5 * rigHeight(project.rig);
  let head = 0;
  let arm = 0;
  for (const frame of [0, 299, 600, 777, 1000, 1500, 2751]) {
    const shown = positionsAt(result, frame);
    const captured = positionsAt(original, frame);
    expect(farthest(shown, positionsAt(project, frame))).toBeLessThan(limit);
    expect(farthest(shown, captured, LEGS)).toBeLessThan(limit);
    head = Math.max(head, endOfHead(result, frame, original));
    arm = Math.max(arm, farthest(shown, captured, ['RightHand']));
    if (frame === 2751) expect(farthest(shown, captured)).toBeLessThan(limit);
  }
  expect(head).toBeGreaterThan(0.05);
  expect(arm).toBeGreaterThan(100 * limit);

  // All of it is there after a reload, and all of it can be undone.
  await page.reload();
  await page.getByRole('link', { name: 'Layers' }).click();
  await expect(lane(page, 'Override 1')).toBeVisible();
  await expectKeys(page, 'Additive 1', 300);
  await expect(page.getByRole('region', { name: 'Lit layer' })).toContainText(/weight.*\d+ keys/);
  for (let k = 0; k < 30 && (await page.getByRole('button', { name: 'Undo' }).isEnabled()); k++) {
    await page.getByRole('button', { name: 'Undo' }).click();
  }
  await expect(page.getByRole('button', { name: 'Undo' })).toBeDisabled();
  await expect(
    page.getByRole('list', { name: 'Layers, the topmost first' }).getByRole('listitem'),
  ).toHaveCount(1);
  await expect(lane(page, 'Base')).toBeVisible();
});

/** Radians by which the head is turned in one project against another. */
function endOfHead(a: ReturnType<typeof projectFromTake>, frame: number, b: typeof a): number {
  const entry = (project: typeof a) => {
    const take = project.takes[0];
    const j = take.rig.joints.findIndex((joint) => joint.name === 'Head');
    const o = 4 * (frame * take.rotations.joints.length + take.rotations.joints.indexOf(j));
    return take.rotations.values.subarray(o, o + 4);
  };
  const [p, q] = [entry(a), entry(b)];
  return 2 * Math.acos(Math.min(1, Math.abs(p.reduce((sum, value, k) => sum + value * q[k], 0))));
}

test('nothing in React renders while it plays', async ({ page }) => {
  // React tells a page that asks about every commit of every root, the 3D view's included.
  await page.addInitScript(() => {
    const told = { commits: 0 };
    Object.assign(window, {
      told,
      __REACT_DEVTOOLS_GLOBAL_HOOK__: {
        supportsFiber: true,
        inject: () => 1,
        onCommitFiberRoot: () => told.commits++,
        onCommitFiberUnmount: () => {},
        onPostCommitFiberRoot: () => {},
      },
    });
  });
  const commits = () =>
    page.evaluate(() => (window as unknown as { told: { commits: number } }).told.commits);
  await openDropped(page, CAPTURE);
  // The header says when the project has been put away, which is no part of playing.
  await expectSaved(page);
  expect(await commits()).toBeGreaterThan(0);
  await page.keyboard.press('Space');
  const frame = page.getByLabel('Frame', { exact: true });
  await expect.poll(async () => Number(await frame.textContent())).toBeGreaterThan(50);
  const before = await commits();
  const started = Number(await frame.textContent());
  await expect.poll(async () => Number(await frame.textContent())).toBeGreaterThan(started + 200);
  expect(await commits()).toBe(before);
});
