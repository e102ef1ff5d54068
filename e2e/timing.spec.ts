import { channelsOf, type Project } from '@evlay/core';
import { curveAt, shapeOf } from '@evlay/core/curve';
import { writeProject } from '@evlay/core/format';
import { angleBetween } from '@evlay/core/math';
import { expect, type Page, test } from '@playwright/test';
import {
  bakedByCommand,
  downloadBy,
  drawLightly,
  expectAccessible,
  expectKeys,
  exported,
  farthest,
  goToFrame,
  handlesOf,
  lane,
  openDemo,
  openFold,
  pickJoint,
  pickPart,
  positionsAt,
  rotationAt,
  tab,
  type,
  undo,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

const layerOf = (project: Project, name: string) => project.layers.find((layer) => layer.name === name)!;

/** Keys a channel of a joint on the lit layer: what it holds, or a number. */
async function key(page: Page, joint: string, channel: string, frame: number, value?: string): Promise<void> {
  await goToFrame(page, frame);
  if (value === undefined)
    await page
      .getByRole('button', { name: new RegExp(`^${channel} of ${joint}: (not keyed|keyed at)`) })
      .click();
  else await type(page.getByRole('spinbutton', { name: `${channel} of ${joint} on the layer` }), value);
  await expect(page.getByRole('button', { name: `${channel} of ${joint}: keyed here` })).toBeVisible();
}

/** Takes back all that was done: the layers are those of before, and show the same. */
async function expectAllUndone(page: Page, before: Project): Promise<void> {
  while (await undo(page).isEnabled()) await undo(page).click();
  const after = await exported(page);
  expect(after.layers.map(({ id, name }) => [id, name])).toEqual(
    before.layers.map(({ id, name }) => [id, name]),
  );
  for (const frame of [0, 17, 41, 88])
    expect(farthest(positionsAt(after, frame), positionsAt(before, frame))).toBe(0);
}

test('a breath loops and overlaps; a bounce is shaped among curves; a trail is smoothed; all is undone', async ({
  page,
}) => {
  await openDemo(page);
  const before = await exported(page);
  await page.getByRole('button', { name: 'Add additive layer' }).click();

  // Hips, chest and head breathe: 15 frames up, 15 down.
  for (const joint of ['Hips', 'Chest', 'Head']) {
    await pickJoint(page, joint);
    await key(page, joint, 'rx', 0);
    await key(page, joint, 'rx', 15, '4');
    await key(page, joint, 'rx', 30, '0');
  }
  await tab(page, 'Layer');
  await page.getByRole('button', { name: 'loop', exact: true }).click();
  await expect(page.getByRole('status', { name: 'Gap of the loop' })).toHaveText('closes');

  // They follow each other by four frames, round the loop.
  await pickPart(page, 'hips');
  for (const part of ['torso', 'head'])
    await page.getByRole('slider', { name: new RegExp(`^${part},`) }).press('Shift+Enter');
  await openFold(page, 'Timing');
  await expect(page.getByLabel('Order of the overlap')).toHaveText('1 Hips → 2 Chest → 3 Head');
  await type(
    page.getByRole('spinbutton', { name: 'Frames by which each joint is later than the one before' }),
    '4',
  );
  await expectAccessible(page);
  const breath = layerOf(await exported(page), 'Additive 1');
  expect(breath.time).toMatchObject({ loop: 'repeat', cycle: [0, 30] });
  const peak = (joint: string) =>
    channelsOf(breath)[joint].rx!.keys.reduce((a, b) => (b.value > a.value ? b : a)).frame;
  expect([peak('Hips'), peak('Chest'), peak('Head')]).toEqual([15, 19, 23]);

  // The repeats become keys, and are taken back.
  await page.getByRole('button', { name: 'repeats to keys' }).click();
  await expect(page.getByRole('button', { name: 'repeats to keys' })).toHaveCount(0);
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('button', { name: 'repeats to keys' })).toBeVisible();

  // A bounce: the key on the floor becomes a contact among curves.
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await pickJoint(page, 'Hips');
  await key(page, 'Hips', 'ty', 0, '50');
  await key(page, 'Hips', 'ty', 10, '0');
  await key(page, 'Hips', 'ty', 17, '25');
  await page.keyboard.press('c');
  await expect(page.getByRole('list', { name: 'Curves' }).getByText('Hips ty')).toBeVisible();
  await page.keyboard.press('k');
  await page.keyboard.press('k');
  const tools = page.getByRole('group', { name: 'Shape of curves' });
  await tools.getByRole('button', { name: 'contact' }).click();
  await expect(tools.getByRole('button', { name: 'contact' })).toHaveAttribute('aria-pressed', 'true');
  await expectAccessible(page);

  // A key is dragged in time and value, a double click sets one on the curve, a handle is dragged.
  const graph = (await page.locator('[data-graph]').boundingBox())!;
  const bounce = async () => channelsOf(layerOf(await exported(page), 'Additive 2')).Hips.ty!;
  const contact = await bounce();
  expect(contact.keys.map((_, i) => shapeOf(contact.keys, i))).toContain('contact');
  expect(curveAt(contact, 5)).toBeCloseTo(0.5 * (1 - 0.25), 6);
  await page.mouse.dblclick(graph.x + graph.width * 0.097, graph.y + 40);
  await page.keyboard.press('Escape');
  await pickJoint(page, 'Hips');
  await page.keyboard.press('k');
  await type(page.getByRole('spinbutton', { name: 'Mean value of the picked keys' }), '+0.1');
  expect((await bounce()).keys[0].value).toBeCloseTo(0.6, 4);
  await page.keyboard.press('c');

  // A trail is smoothed by the brush: a touch-up on a layer of its own.
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await goToFrame(page, 40);
  await pickJoint(page, 'LeftHand');
  await page.keyboard.press('Shift+t');
  await page.getByRole('button', { name: 'Smooth a trail with the brush' }).click();
  const unbrushed = await exported(page);
  await expect(async () => {
    const { x, y } = await handlesOf(page, 'LeftHand');
    await page.mouse.move(x - 50, y);
    await page.mouse.down();
    for (let k = 0; k <= 10; k++) await page.mouse.move(x - 50 + 10 * k, y + (k % 2));
    await page.mouse.up();
    await expect(lane(page, 'Additive 3').locator('[data-strip]').first()).toBeVisible({ timeout: 2000 });
  }).toPass();
  const brushed = await exported(page);
  const moved = (frame: number) =>
    farthest(positionsAt(brushed, frame), positionsAt(unbrushed, frame), ['LeftHand']);
  expect(Math.max(...[36, 38, 40, 42, 44].map(moved))).toBeGreaterThan(1e-4);
  expect(moved(100)).toBeLessThan(1e-9);

  await expectAllUndone(page, before);
});

test('marks, speeds and a stretch of its own to play; noise by a seed; a range is retimed', async ({
  page,
}) => {
  await openDemo(page);
  await goToFrame(page, 24);
  await page.keyboard.press('Shift+G');
  const mark = page.getByRole('button', { name: 'Go to the mark Mark 1 at frame 24' });
  await goToFrame(page, 60);
  await mark.click();
  await expect(page.getByLabel('Frame', { exact: true })).toHaveText('0024');
  await page.getByRole('button', { name: 'Plays at 1 of the speed' }).click();
  await page.getByRole('button', { name: 'Plays at 2 of the speed' }).click();
  await expect(page.getByRole('button', { name: 'Plays at 0.25 of the speed' })).toBeVisible();

  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await pickPart(page, 'head');
  await openFold(page, 'Timing');
  await page.getByRole('button', { name: 'Other noise, after seed 1' }).click();
  await type(page.getByRole('spinbutton', { name: 'Noise, degrees' }), '6');
  const noisy = channelsOf(layerOf(await exported(page), 'Additive 1')).Head.rx!.keys;
  expect(Math.max(...noisy.map(({ value }) => Math.abs(value)))).toBeCloseTo(6, 6);

  // It says that it is applied, with its numbers, and comes back as it was after it was taken away.
  const applied = page.getByRole('button', { name: /^noise 6°, 1 Hz on/ });
  await expect(applied).toBeVisible();
  await page.getByRole('button', { name: 'Take the noise away' }).click();
  await expect(applied).toBeHidden();
  expect(layerOf(await exported(page), 'Additive 1').content.kind).toBe('nothing');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(applied).toBeVisible();

  // Played is what lies between the picked keys; half as long, the range and the mark follow.
  await page.keyboard.press('k');
  await type(page.getByRole('spinbutton', { name: 'How much longer it becomes' }), '0.5');
  await page.getByRole('button', { name: 'all', exact: true }).click();
  await expect(page.getByRole('spinbutton', { name: 'Last frame of the range' })).toHaveText('60');
  await expect(page.getByRole('button', { name: 'Go to the mark Mark 1 at frame 12' })).toBeVisible();
  const after = await exported(page);
  expect(after.marks.map(({ name, frame }) => [name, frame])).toEqual([['Mark 1', 12]]);
  await expectKeys(
    page,
    'Weary lean',
    ...new Set(channelsOf(layerOf(after, 'Weary lean')).Spine.rx!.keys.map(({ frame }) => frame)),
  );

  // The lit layer's new keys hold: a blocked performance, made smooth by one command.
  await page.getByRole('button', { name: 'hold', exact: true }).click();
  await goToFrame(page, 7);
  await pickJoint(page, 'Head');
  await type(page.getByRole('spinbutton', { name: 'rx of Head on the layer' }), '9');
  const eases = async () => {
    const { keys } = channelsOf(layerOf(await exported(page), 'Additive 1')).Head.rx!;
    return keys.filter(({ ease }) => ease === 'hold').length;
  };
  expect(await eases()).toBe(1);
  await tab(page, 'Layer');
  await page.getByRole('button', { name: 'Make the holds of the layer smooth' }).click();
  expect(await eases()).toBe(0);
});

test('a project is counted at 24 a second from 1001 on, seconds stay, and every number says so', async ({
  page,
}) => {
  await openDemo(page);
  await goToFrame(page, 45);
  await page.keyboard.press('Shift+G');
  const before = await exported(page);
  await page.getByRole('button', { name: '30 frames a second, the first is 0' }).click();
  const rate = page.getByRole('textbox', { name: 'Frames a second' });
  await expectAccessible(page);
  await rate.fill('23.976x');
  await rate.press('Enter');
  await expect(page.getByText('is no rate; expected a number such as 25 or 23.976')).toBeVisible();
  await rate.fill('24');
  await rate.press('Enter');
  await page.getByRole('button', { name: '1001', exact: true }).click();
  await page.keyboard.press('Escape');
  await expect(page.getByLabel('Frame', { exact: true })).toHaveText('1037');
  await expect(page.getByRole('button', { name: 'Go to the mark Mark 1 at frame 1037' })).toBeVisible();
  await expect(page.getByRole('spinbutton', { name: 'Last frame of the range' })).toHaveText('1097');
  const now = await exported(page);
  expect([now.fps, now.first, now.range]).toEqual([24, 1001, [0, 96]]);
  const joints = [...positionsAt(before, 0).keys()];
  for (const frame of [0, 20, 45, 62.5, 100, 120])
    expect(farthest(positionsAt(before, frame), positionsAt(now, 0.8 * frame), joints)).toBeLessThan(
      1e-5 * 1.7,
    );

  // A frame is typed by its number, a moment in seconds from the start.
  const start = page.getByRole('spinbutton', { name: 'Span starts at' });
  await type(start, '1041');
  await expect(start).toHaveText('1041');
  expect(layerOf(await exported(page), 'Glance at the gulls').span?.start).toBe(40);
  await type(start, '1.5s');
  await expect(start).toHaveText('1037');
  for (let k = 0; k < 2; k++) await undo(page).click();

  // What is written counts so too.
  await page.getByRole('link', { name: 'Bake', exact: true }).click();
  await page.getByRole('button', { name: 'CSV', exact: true }).click();
  await expect(page.getByRole('spinbutton', { name: 'First frame to bake' })).toHaveText('1001');
  const csv = await downloadBy(page, () => page.getByRole('button', { name: /^Bake to CSV/ }).click());
  const rows = new TextDecoder().decode(csv.bytes).trimEnd().split('\r\n');
  expect([rows[1].split(',')[0], rows.at(-1)!.split(',')[0], rows.length]).toEqual(['1001', '1097', 98]);
  const project = writeProject(await exported(page));
  expect(bakedByCommand('p.evlay', project, 'csv').toString()).toBe(new TextDecoder().decode(csv.bytes));
});

test('tail and ears of a dog follow on layers of their own', async ({ page }) => {
  await page.goto('/');
  await page
    .getByRole('main')
    .getByRole('button', { name: /Brindle|quay run/i })
    .first()
    .click();
  await expect(page).toHaveURL(/\/p\//);
  await expect(page.getByRole('slider', { name: /^tail/ })).toBeVisible();
  const before = await exported(page);
  await pickJoint(page, 'Tail1');
  await openFold(page, 'Timing');
  await page.getByRole('button', { name: 'follow', exact: true }).click();
  await expect(lane(page, 'Follow')).toBeVisible();
  // Written anew on the same layer.
  await type(page.getByRole('spinbutton', { name: /^Damping/ }), '0.2');
  const tail = await exported(page);
  expect(tail.layers).toHaveLength(before.layers.length + 1);
  const turned = (after: Project, joint: string, frame: number) =>
    angleBetween(rotationAt(after, joint, frame), 0, rotationAt(before, joint, frame), 0);
  expect(turned(tail, 'Tail5', 0)).toBeLessThan(1e-6);
  expect(Math.max(...[30, 50, 70, 90].map((frame) => turned(tail, 'Tail5', frame)))).toBeGreaterThan(0.05);
  expect(turned(tail, 'Head', 60)).toBeLessThan(1e-9);

  await pickJoint(page, 'LeftEar1');
  await openFold(page, 'Timing');
  await page.getByRole('button', { name: 'follow', exact: true }).click();
  await expect(lane(page, 'Follow 1')).toBeVisible();
  const ears = await exported(page);
  expect(Math.max(...[30, 50, 70, 90].map((frame) => turned(ears, 'LeftEar2', frame)))).toBeGreaterThan(0.01);
  await expectAllUndone(page, before);
});
