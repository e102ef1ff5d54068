import { readFileSync } from 'node:fs';
import { keyFrames, layerById, type Project, restPose } from '@evlay/core';
import { contactFrames } from '@evlay/core/edit';
import { readPoses } from '@evlay/core/format';
import { angleBetween } from '@evlay/core/math';
import { expect, test } from '@playwright/test';
import {
  downloadBy,
  dragHandles,
  drawLightly,
  expectAccessible,
  expectKeys,
  expectPicture,
  expectSaved,
  exported,
  farthest,
  goToFrame,
  handlesOf,
  keyOn,
  lane,
  openDemo,
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

/** The own frames on which a joint is keyed on a layer. */
const framesOf = (project: Project, layer: string, joint: string): number[] => {
  const { content } = layerOf(project, layer);
  const channels = content.kind === 'curves' ? content.channels[joint] : {};
  return [
    ...new Set(Object.values(channels ?? {}).flatMap((curve) => curve!.keys.map(({ frame }) => frame))),
  ].sort((a, b) => a - b);
};

test('both hands on the lantern, held, quicker; a fist; a touch-up at every contact; and all undone', async ({
  page,
}) => {
  await openDemo(page);
  const before = await exported(page);
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await goToFrame(page, 60);

  await test.step('the right hand comes before the body, and the left one to the lantern', async () => {
    await page.keyboard.press('1');
    await pickPart(page, 'right hand');
    await page.getByRole('button', { name: 'Move joints' }).click();
    await dragHandles(page, 'RightHand', 70, 10);
    await page.keyboard.press('2');
    await dragHandles(page, 'RightHand', 55, 0);
    // From ahead, then from the side.
    for (const side of ['1', '2']) {
      await page.keyboard.press(side);
      await pickJoint(page, 'Lantern');
      const lantern = await handlesOf(page, 'Lantern');
      await pickPart(page, 'left hand');
      await page.getByRole('button', { name: 'Move joints' }).click();
      const hand = await handlesOf(page, 'LeftHand');
      await dragHandles(page, 'LeftHand', lantern.x - hand.x, lantern.y - hand.y);
    }
    const at = positionsAt(await exported(page), 60);
    const [hand, lantern] = ['LeftHand', 'Lantern'].map((name) => at.get(name)!);
    expect(Math.hypot(...hand.map((value, axis) => value - lantern[axis]))).toBeLessThan(0.12);
    expect(farthest(at, positionsAt(before, 60), ['LeftHand'])).toBeGreaterThan(0.2);
    // Legs and head are where they were.
    expect(farthest(at, positionsAt(before, 60), ['LeftFoot', 'RightFoot', 'Head'])).toBeLessThan(1e-4);
  });

  await test.step('the key is held ten frames on, and half as long', async () => {
    await page.getByRole('button', { name: 'Throughout' }).click();
    await goToFrame(page, 70);
    await page.keyboard.press('h');
    await expectKeys(page, 'Additive 1', 60, 70);
    const held = await exported(page);
    expect(framesOf(held, 'Additive 1', 'LeftForearm')).toEqual([60, 70]);
    await goToFrame(page, 60);
    await page.getByRole('button', { name: 'Open the lane of Additive 1' }).click();
    // A box over the rows of the limb; one row is enough, since keys of a limb stay together.
    const row = page.getByLabel(/^Keys of LeftForearm on Additive 1/);
    await row.scrollIntoViewIfNeeded();
    const [from, to] = [await keyOn(page, row, 55), await keyOn(page, row, 75)];
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move(to.x, to.y + 2, { steps: 4 });
    await page.mouse.up();
    await type(page.getByRole('spinbutton', { name: 'Scale of the picked keys about the playhead' }), '0.5');
    await expectKeys(page, 'Additive 1', 60, 65);
    const [a, b] = [positionsAt(held, 70), positionsAt(await exported(page), 65)];
    expect(a.size).toBe(b.size);
  });

  await test.step('a fist from the pose book turns the fingers of the other hand and no wrist', async () => {
    const open = await exported(page);
    await page.keyboard.press('Escape');
    await pickPart(page, 'right hand');
    await tab(page, 'Poses');
    await page.getByRole('button', { name: 'Apply Pointing', exact: true }).click();
    const shut = await exported(page);
    const turned = (joint: string) =>
      angleBetween(rotationAt(open, joint, 60), 0, rotationAt(shut, joint, 60), 0);
    expect(turned('RightHand')).toBeLessThan(1e-6);
    expect(turned('RightIndex1')).toBeGreaterThan(0.3);
    expect(turned('LeftIndex1')).toBeLessThan(1e-6);
  });

  await test.step('a touch-up of a foot is repeated at its three other contacts', async () => {
    await goToFrame(page, 10);
    await pickJoint(page, 'LeftFoot');
    await page.getByRole('button', { name: 'Turn joints' }).click();
    await page.keyboard.press('t');
    await dragHandles(page, 'LeftFoot', 30, 8);
    const once = await exported(page);
    const own = framesOf(once, 'Additive 1', 'LeftFoot');
    expect(own).toEqual([4, 10, 16]);
    await page.getByRole('button', { name: 'contacts', exact: true }).click();
    const again = framesOf(await exported(page), 'Additive 1', 'LeftFoot');
    const frames = contactFrames(
      once,
      { layer: '', frame: 10, before: 6, after: 6, changes: { LeftFoot: { rx: 1 } } },
      false,
    );
    expect(frames).toHaveLength(3);
    for (const frame of frames) expect(again).toEqual(expect.arrayContaining([frame - 6, frame, frame + 6]));
  });

  for (let k = 0; k < 40 && (await undo(page).isEnabled()); k++) await undo(page).click();
  await expect(undo(page)).toBeDisabled();
  const after = await exported(page);
  expect(after.layers.map(({ name }) => name)).toEqual(before.layers.map(({ name }) => name));
  for (const frame of [10, 60, 90])
    expect(farthest(positionsAt(after, frame), positionsAt(before, frame))).toBe(0);
});

test('numbers are typed for several joints and both sides; a spine shares a turn; a layer keys what it may', async ({
  page,
}) => {
  await openDemo(page);
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await goToFrame(page, 30);
  await pickJoint(page, 'LeftUpperArm');
  await page.getByRole('button', { name: 'Do the same mirrored on the other side' }).click();
  const rx = page.getByRole('spinbutton', { name: 'rx of LeftUpperArm on the layer' });
  await type(rx, '12');
  await type(rx, '+5');
  await expect(rx).toHaveText('17.0');
  await expect(page.getByRole('button', { name: 'rx of LeftUpperArm: keyed here' })).toBeVisible();
  const both = await exported(page);
  const rotations = ['LeftUpperArm', 'RightUpperArm'].map((joint) =>
    angleBetween(
      rotationAt(both, joint, 30),
      0,
      rotationAt({ ...both, layers: both.layers.slice(0, -1) }, joint, 30),
      0,
    ),
  );
  expect((rotations[0] * 180) / Math.PI).toBeCloseTo(17, 3);
  expect(rotations[1]).toBeCloseTo(rotations[0], 6);
  await page.getByRole('button', { name: 'Do the same mirrored on the other side' }).click();

  // What is typed for all picked joints is said of each.
  await page.keyboard.press('Shift+o');
  await type(page.getByRole('spinbutton', { name: 'rx of all picked joints' }), '*0.5');
  await expect(page.getByRole('spinbutton', { name: 'rx of LeftUpperArm on the layer' })).toHaveText('8.5');

  await expectAccessible(page);

  // The spine shares a turn by parts: its end turns by all of it.
  await page.keyboard.press('Escape');
  await tab(page, 'Joint');
  await page.getByRole('button', { name: 'trunk', exact: true }).click();
  await page.getByRole('button', { name: 'share', exact: true }).click();
  await type(page.getByRole('spinbutton', { name: 'Share of Head' }), '0');
  await expect(page.getByText('20 %', { exact: true }).first()).toBeVisible();

  // A layer that is limited to an arm comes with the hand, and a refused key offers to widen it.
  await tab(page, 'Layer');
  await pickPart(page, 'left hand');
  await page.getByRole('button', { name: 'Let the layer key what is picked alone' }).click();
  await expect(page.locator('[data-closed="head"]')).toHaveCount(1);
  await pickPart(page, 'head');
  await page.getByRole('button', { name: 'Turn joints' }).click();
  await dragHandles(page, 'Head', 30, 0);
  await page.getByRole('button', { name: 'Let it key Head' }).press('Enter');
  await expect(page.locator('[data-closed="head"]')).toHaveCount(0);
});

test('keys are copied by dragging, reversed, cut and pasted; frames come in; commands are found by name', async ({
  page,
}) => {
  await openDemo(page);
  const name = 'Glance at the gulls';
  await page.getByRole('button', { name: `Open the lane of ${name}` }).click();
  await lane(page, name)
    .getByRole('button', { name: new RegExp(`${name}\\s*additive$`) })
    .click();
  const start = await exported(page);
  const head = page.getByLabel(`Keys of Head on ${name} at`);
  const [at, to] = [await keyOn(page, head, 84), await keyOn(page, head, 94)];
  await page.mouse.move(at.x, at.y);
  await page.mouse.down();
  await page.keyboard.down('Control');
  await page.mouse.move((at.x + to.x) / 2, at.y, { steps: 3 });
  await page.mouse.move(to.x, at.y, { steps: 3 });
  await page.mouse.up();
  await page.keyboard.up('Control');
  await expect(head).toHaveAttribute('aria-label', `Keys of Head on ${name} at 50, 62, 70, 84, 94`);
  await undo(page).click();

  // Reversed twice they are what they were.
  const [from, end] = [await keyOn(page, head, 46), await keyOn(page, head, 88)];
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(end.x, end.y, { steps: 4 });
  await page.mouse.up();
  await page.getByRole('button', { name: 'Reverse the picked keys' }).click();
  await expect(head).toHaveAttribute('aria-label', `Keys of Head on ${name} at 50, 64, 72, 84`);
  await page.getByRole('button', { name: 'Reverse the picked keys' }).click();
  await expect(head).toHaveAttribute('aria-label', `Keys of Head on ${name} at 50, 62, 70, 84`);
  const back = await exported(page);
  for (const frame of [55, 66, 80])
    expect(farthest(positionsAt(back, frame), positionsAt(start, frame))).toBeLessThan(1e-12);

  // Cut, and pasted at the playhead by the palette.
  await page.keyboard.press('Control+x');
  await expect(head).toHaveCount(0);
  await goToFrame(page, 40);
  await page.keyboard.press('Control+k');
  await page.keyboard.type('paste the copied keys');
  await expect(page.getByRole('option')).toHaveCount(1);
  await expectAccessible(page);
  await page.keyboard.press('Enter');
  await expect(head).toHaveAttribute('aria-label', `Keys of Head on ${name} at 40, 52, 60, 74`);

  await page.getByRole('button', { name: 'Insert or remove frames' }).click();
  await page.getByRole('button', { name: 'insert', exact: true }).last().click();
  await expect(page.getByRole('spinbutton', { name: 'Last frame of the range' })).toHaveText('125');
  await expect(page.getByText('Some layers were not cut open')).toBeVisible();
  await page.keyboard.press('Escape');
  const longer = await exported(page);
  expect(keyFrames(layerById(longer, layerOf(longer, name).id)!)[0]).toBe(45);
});

test('a pose is copied to the other side, in between, and kept in the book of the project and of the browser', async ({
  page,
}) => {
  await openDemo(page);
  await page.getByRole('button', { name: 'Add override layer' }).click();
  await goToFrame(page, 60);
  await page.getByRole('button', { name: 'whole range' }).click();
  await tab(page, 'Joint');
  await page.getByRole('button', { name: 'right arm', exact: true }).click();
  await page.keyboard.press('Shift+c');
  await page.keyboard.press('Shift+m');
  const shown = await exported(page);
  const at = positionsAt(shown, 60);
  // The upper arm and the forearm are as long as those of the other side, and raised like them.
  const rise = (side: string) => at.get(`${side}Hand`)![1] - at.get(`${side}UpperArm`)![1];
  expect(Math.abs(rise('Left') - rise('Right'))).toBeLessThan(0.05);

  await tab(page, 'Poses');
  await expectAccessible(page);
  await page.getByRole('button', { name: 'picked', exact: true }).click();
  await page.getByRole('button', { name: 'Edit Pose 1' }).click();
  await page.getByLabel('Name of Pose 1').fill('Lantern high');
  await page.getByLabel('Name of Pose 1').press('Enter');
  await page.getByLabel('Tags of Lantern high, by commas').fill('arms, lantern');
  await page.getByLabel('Tags of Lantern high, by commas').press('Enter');
  await page.getByRole('button', { name: 'Keep it in this browser too' }).click();
  await page.getByRole('button', { name: 'Done' }).click();
  await page.getByRole('button', { name: 'lantern', exact: true }).click();
  await expect(page.getByRole('button', { name: /^Apply .*/ })).toHaveCount(3);
  const { bytes, name } = await downloadBy(page, () =>
    page.getByRole('button', { name: 'Export the poses' }).click(),
  );
  const poses = readPoses(name, bytes);
  expect([poses.length, poses.at(-1)?.name, poses.at(-1)?.tags]).toEqual([
    13,
    'Lantern high',
    ['arms', 'lantern'],
  ]);

  // Dragged, a pose takes the place of another.
  await page.getByRole('button', { name: 'all', exact: true }).click();
  const card = (pose: string) => page.getByRole('button', { name: `Apply ${pose}`, exact: true });
  await card('Fist').scrollIntoViewIfNeeded();
  const [fist, grip] = await Promise.all(['Fist', 'Grip'].map((pose) => card(pose).boundingBox()));
  await page.mouse.move(fist!.x + 40, fist!.y + 40);
  await page.mouse.down();
  await page.mouse.move(fist!.x + 60, fist!.y + 40, { steps: 3 });
  await page.mouse.move(grip!.x + 40, grip!.y + 40, { steps: 6 });
  await page.mouse.up();
  await expect
    .poll(async () => (await exported(page)).poses.slice(0, 3).map((pose) => pose.name))
    .toEqual(['Open hand', 'Grip', 'Fist']);
  await undo(page).click();

  // In between goes on a half to rest, as far as the arm had to go.
  const dial = page.getByRole('slider', { name: /^In-between/ });
  await page.getByRole('button', { name: 'rest', exact: true }).click();
  const box = (await dial.boundingBox())!;
  await page.mouse.click(box.x + box.width / 2, box.y + 10);
  const half = await exported(page);
  const rest = restPose(half.rig).rotations;
  const joint = 'RightForearm';
  const j = half.rig.joints.findIndex((one) => one.name === joint);
  const [whole, left] = [shown, half].map((project) =>
    angleBetween(rotationAt(project, joint, 60), 0, rest, 4 * j),
  );
  expect(left).toBeCloseTo(whole / 2, 4);

  // Another project of the browser has it too, and a wrong file says so.
  await expectSaved(page);
  await page.reload();
  await tab(page, 'Poses');
  await page.getByRole('button', { name: 'this browser', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Apply Lantern high', exact: true })).toBeVisible();
  await page.getByLabel('Poses to bring in').setInputFiles({
    name: 'wrong.json',
    mimeType: 'application/json',
    buffer: readFileSync('package.json'),
  });
  await expect(page.getByText(/wrong.json/)).toBeVisible();
});

test('where pictures are slow less is drawn by itself, the character stays in sight, and it can be refused', async ({
  page,
}) => {
  // A machine on which a frame takes an eighth of a second, and nobody has said how it is to draw.
  await page.addInitScript(() => {
    localStorage.removeItem('evlay.preferences');
    const ask = window.requestAnimationFrame.bind(window);
    window.requestAnimationFrame = (draw) => window.setTimeout(() => ask(draw), 120);
    window.cancelAnimationFrame = (id) => window.clearTimeout(id);
  });
  await openDemo(page);
  await page.keyboard.press('Space');
  await expect(page.getByText('Drawn lightly now')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Draw lightly' })).toHaveAttribute('aria-pressed', 'true');
  await page.keyboard.press('Space');
  await expectPicture(page);
  await page.getByRole('button', { name: 'Always draw in full' }).click();
  await expect(page.getByRole('button', { name: 'Draw lightly' })).toHaveAttribute('aria-pressed', 'false');
  await expectPicture(page);
});
