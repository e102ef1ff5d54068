import { channelsOf } from '@evlay/core';
import { readProject } from '@evlay/core/format';
import { expect, type Page, test } from '@playwright/test';
import {
  CAPTURE,
  downloadBy,
  dragHandles,
  drawLightly,
  expectAccessible,
  expectKeys,
  expectPicture,
  farthest,
  goToFrame,
  handlesOf,
  keyAt,
  lane,
  openDemo,
  openDropped,
  pickPart,
  positionsAt,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

const undoButton = (page: Page) => page.getByRole('button', { name: 'Undo' });
const weightOf = (page: Page, name: string) =>
  page.getByRole('spinbutton', { name: `Weight of ${name}`, exact: true });

async function exportProject(page: Page) {
  const { bytes, name } = await downloadBy(page, () =>
    page.getByRole('button', { name: 'Export the project' }).click(),
  );
  return (await readProject(bytes, name)).project;
}

test('every screen passes axe, in the dark and in the light', async ({ page }) => {
  await openDemo(page);
  await goToFrame(page, 60);
  await pickPart(page, 'right arm');
  await expectAccessible(page);
  await page.getByRole('button', { name: 'Light theme' }).click();
  await expectAccessible(page);
  await page.getByRole('link', { name: 'Takes' }).click();
  await expect(page.getByRole('region', { name: 'Chosen take' })).toBeVisible();
  await expectAccessible(page);
  await page.getByRole('link', { name: 'Bake' }).click();
  await expect(page.getByRole('heading', { name: 'Bake', exact: true })).toBeVisible();
  await expectAccessible(page);
  await page.getByRole('link', { name: 'Help' }).click();
  await expect(page.getByRole('heading', { name: 'The order of work' })).toBeVisible();
  await expectAccessible(page);
});

test('weights: the number, the part on the map, keys, and one step of undo a drag', async ({ page }) => {
  await openDemo(page);
  await page.getByRole('button', { name: /Weary lean\s*additive$/ }).click();
  await expect(weightOf(page, 'Weary lean')).toHaveText('0.80');
  const box = (await weightOf(page, 'Weary lean').boundingBox())!;
  await page.mouse.move(box.x + 10, box.y + 8);
  await page.mouse.down();
  await page.mouse.move(box.x - 30, box.y + 8, { steps: 8 });
  await page.mouse.up();
  await expect(weightOf(page, 'Weary lean')).toHaveText('0.40');
  await undoButton(page).click();
  await expect(weightOf(page, 'Weary lean')).toHaveText('0.80');
  await expect(undoButton(page)).toBeDisabled();

  // The first weight of a part writes 1 for all others; keyed, it gets a key at each frame where it changes.
  const part = page.getByRole('slider', { name: /^torso,/ });
  await part.press('Enter');
  await part.press('ArrowDown');
  await page.getByRole('button', { name: 'Key the weight of the torso' }).click();
  await goToFrame(page, 40);
  await part.press('ArrowDown');
  const { layers } = await exportProject(page);
  expect(layers[1].mask?.['head']).toBe(1);
  expect(layers[1].mask?.['torso']).toMatchObject({
    keys: [
      { frame: 0, value: 0.95 },
      { frame: 40, value: 0.9 },
    ],
  });
});

test('keys: marks are dragged, deleted and brought back; the span and its fades are pulled', async ({
  page,
}) => {
  await openDemo(page);
  const glance = lane(page, 'Glance at the gulls');
  const track = (await glance.locator('svg').last().boundingBox())!;
  const perFrame = track.width / (120 * 1.06);
  const drag = async (from: { x: number; y: number }, dx: number) => {
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move(from.x + dx, from.y, { steps: 6 });
    await page.mouse.up();
  };
  const middle = (box: { x: number; y: number; width: number; height: number }) => ({
    x: box.x + box.width / 2,
    y: box.y + box.height / 2,
  });
  await drag(await keyAt(page, 'Glance at the gulls', 50), 6 * perFrame);
  await expectKeys(page, 'Glance at the gulls', 56, 62, 70, 84);
  await page.keyboard.press('Delete');
  await expectKeys(page, 'Glance at the gulls', 62, 70, 84);
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expectKeys(page, 'Glance at the gulls', 50, 62, 70, 84);
  await page.keyboard.press('Control+Shift+z');
  await expectKeys(page, 'Glance at the gulls', 56, 62, 70, 84);

  const foot = glance.locator('g', { has: page.locator('title', { hasText: 'span starts at 44' }) });
  await drag(middle((await foot.boundingBox())!), -10 * perFrame);
  await expect(page.getByRole('spinbutton', { name: 'Span starts at' })).toHaveText('34');
  const slope = glance.locator('g', { has: page.locator('title', { hasText: 'fades in over' }) });
  await drag(middle((await slope.boundingBox())!), 8 * perFrame);
  await expect(page.getByRole('spinbutton', { name: 'Fade in, frames' })).toHaveText('20');
});

test('a pose is tried with auto key off, survives scrubbing, and is keyed or dropped', async ({ page }) => {
  await openDropped(page, CAPTURE);
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await page.getByRole('button', { name: 'auto key on' }).click();
  await pickPart(page, 'head');
  await dragHandles(page, 'Head', 40, 0);
  const bar = page.getByText('Tried, not keyed');
  await expect(bar).toBeVisible();
  // Nothing is keyed, and nothing looks as if it were.
  await expectKeys(page, 'Additive 1');
  await goToFrame(page, 200);
  await expect(bar).toBeVisible();
  await page.getByRole('button', { name: 'Drop', exact: true }).click();
  await expect(bar).toBeHidden();
  await expectKeys(page, 'Additive 1');
  await dragHandles(page, 'Head', 40, 0);
  await page.keyboard.press('Enter');
  await expect(bar).toBeHidden();
  await expectKeys(page, 'Additive 1', 200);
});

test('posing on the base offers a new layer, keyed in one step; below a weight of 0.05 the pose is refused', async ({
  page,
}) => {
  await openDropped(page, CAPTURE);
  await goToFrame(page, 100);
  await pickPart(page, 'head');
  await dragHandles(page, 'Head', 40, 0);
  await expect(page.getByText('Base plays a take, which stays as it came.')).toBeVisible();
  await page.getByRole('button', { name: 'Pose on a new additive layer' }).click();
  await expectKeys(page, 'Additive 1', 100);
  await undoButton(page).click();
  await expect(
    page.getByRole('list', { name: 'Layers, the topmost first' }).getByRole('listitem'),
  ).toHaveCount(1);
  await page.keyboard.press('Control+Shift+z');

  await page
    .getByRole('button', { name: /Additive 1/ })
    .first()
    .click();
  await page.getByRole('button', { name: 'Mute Additive 1' }).click();
  await dragHandles(page, 'Head', -40, 0);
  await expect(page.getByText('Additive 1 is muted.')).toBeVisible();
  await page.getByRole('button', { name: 'Unmute it' }).click();
  await expect(page.getByRole('button', { name: 'Mute Additive 1' })).toHaveAttribute(
    'aria-pressed',
    'false',
  );
});

test('a click in the view picks a joint, and the handles move what is seen on a layer at half weight', async ({
  page,
}) => {
  await openDropped(page, CAPTURE);
  await expectPicture(page);
  await goToFrame(page, 60);
  const before = await exportProject(page);
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await weightOf(page, 'Additive 1').press('Enter');
  await page.keyboard.type('0.5');
  await page.keyboard.press('Enter');
  await pickPart(page, 'hips');
  const { x, y } = await handlesOf(page, 'Hips');
  await page.keyboard.press('Escape');
  await expect(page.locator('[data-joint]')).toHaveCount(0);
  await page.mouse.click(x, y - 30);
  await expect(page.locator('[data-joint]')).toHaveAttribute('data-joint', /Back|Spine|Hips/);
  await pickPart(page, 'hips');
  await page.getByRole('button', { name: 'Move joints' }).click();
  await dragHandles(page, 'Hips', 0, 20);
  const after = await exportProject(page);
  const channels = channelsOf(after.layers[1])['Hips'];
  const key = (channel: 'tx' | 'ty' | 'tz') => channels[channel]!.keys[0].value;
  const [a, b] = [positionsAt(before, 60).get('Hips')!, positionsAt(after, 60).get('Hips')!];
  const moved = Math.hypot(...b.map((value, axis) => value - a[axis]));
  expect(moved).toBeGreaterThan(1);
  // At half the weight the layer holds twice of what is seen.
  expect(Math.hypot(key('tx'), key('ty'), key('tz'))).toBeCloseTo(2 * moved, 6);
  // The feet stand where they stood.
  for (const foot of ['LeftFoot', 'RightFoot'])
    expect(
      Math.hypot(
        ...positionsAt(after, 60)
          .get(foot)!
          .map((v, i) => v - positionsAt(before, 60).get(foot)![i]),
      ),
    ).toBeLessThan(0.02);
  // A hand takes its arm along, and nothing else; too far is said.
  await pickPart(page, 'right hand');
  await expect(page.locator('[data-joint]')).toHaveAttribute('data-joint', 'RightHand');
  await dragHandles(page, 'RightHand', -12, -16);
  const reached = await exportProject(page);
  const [was, is] = [after, reached].map((project) => positionsAt(project, 60));
  expect(farthest(was, is, ['RightHand'])).toBeGreaterThan(0.5);
  expect(farthest(was, is, ['RightArm', 'Spine1', 'LeftHand', 'Head', 'RightFoot'])).toBeLessThan(1e-9);
  expect(Object.keys(channelsOf(reached.layers[1]))).toEqual(
    expect.arrayContaining(['RightArm', 'RightForeArm', 'RightHand']),
  );
  const hand = await handlesOf(page, 'RightHand');
  await page.mouse.move(hand.x + 1, hand.y + 1);
  await page.mouse.move(hand.x, hand.y);
  await page.mouse.down();
  await page.mouse.move(hand.x - 300, hand.y - 100, { steps: 4 });
  await expect(page.locator('[data-joint]')).toContainText('it reaches no further');
  await page.keyboard.press('Escape');
  await page.mouse.up();
  await expect(page.locator('[data-joint]')).toHaveText('RightHand');
  expect(farthest(is, positionsAt(await exportProject(page), 60))).toBeLessThan(1e-9);
});
