import { channelsOf, layerById, type Project, restPose } from '@evlay/core';
import { writeGlb } from '@evlay/core/format';
import { WebIO } from '@gltf-transform/core';
import { expect, type Page, test } from '@playwright/test';
import { spider } from '../packages/core/test/bodies.js';
import { recorded } from '../packages/demo/src/puppet.js';
import {
  downloadBy,
  drawLightly,
  dropFile,
  expectAccessible,
  exported,
  goToFrame,
  lane,
  openDemo,
  pickJoint,
  positionsAt,
  tab,
  type,
  undo,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

const layerOf = (project: Project, name: string) => project.layers.find((one) => one.name === name)!;
const slider = (page: Page, name: string) => page.getByRole('slider', { name, exact: true });

/** Puts a face channel to an end of its slider by key, and leaves the slider, where the arrow keys are its own. */
async function putTo(page: Page, name: string, end: 'Home' | 'End'): Promise<void> {
  await slider(page, name).press(end);
  await slider(page, name).blur();
}

/** Weights of the morph targets of a GLB over time, by their names, as another library reads them. */
async function weightsIn(bytes: Uint8Array): Promise<(name: string, seconds: number) => number> {
  const document = await new WebIO().readBinary(bytes);
  const channels = document
    .getRoot()
    .listAnimations()
    .flatMap((animation) => animation.listChannels());
  const channel = channels.find((one) => one.getTargetPath() === 'weights')!;
  const names = channel.getTargetNode()!.getMesh()!.getExtras().targetNames as string[];
  const sampler = channel.getSampler()!;
  const [times, values] = [sampler.getInput()!.getArray()!, sampler.getOutput()!.getArray()!];
  return (name, seconds) => {
    const after = [...times].findIndex((time) => time >= seconds - 1e-6);
    const value = (k: number) => values[k * names.length + names.indexOf(name)];
    if (after <= 0 || sampler.getInterpolation() === 'STEP') return value(Math.max(0, after));
    const u = (seconds - times[after - 1]) / (times[after] - times[after - 1]);
    return value(after - 1) + u * (value(after) - value(after - 1));
  };
}

test('a lip and a brow layer over a walk are weighed, baked and read back', async ({ page }) => {
  await openDemo(page);
  await page.getByRole('button', { name: 'Open the face: its channels as sliders' }).click();
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await goToFrame(page, 20);
  await putTo(page, 'smileLeft', 'End');
  await goToFrame(page, 60);
  await putTo(page, 'smileLeft', 'Home');
  await expectAccessible(page);
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await putTo(page, 'browUpLeft', 'End');
  await expect(slider(page, 'browUpLeft')).toHaveAttribute('aria-valuenow', '1.00');
  await type(lane(page, 'Additive 2').getByRole('spinbutton', { name: /^Weight of/ }), '0.5');
  await expect(slider(page, 'browUpLeft')).toHaveAttribute('aria-valuenow', '0.50');
  const project = await exported(page);
  expect(Object.keys(channelsOf(layerOf(project, 'Additive 1')))).toEqual(['smileLeft']);

  await page.getByRole('link', { name: 'Bake', exact: true }).click();
  // A BVH file has no face: that is said before it is written.
  await page.getByRole('button', { name: 'BVH', exact: true }).click();
  await expect(
    page.getByRole('group', { name: 'Not in the file' }).or(page.getByText('Not in the file')).first(),
  ).toBeVisible();
  await page.getByRole('button', { name: 'GLB', exact: true }).click();
  const baked = await downloadBy(page, () =>
    page.getByRole('button', { name: 'Bake to GLB', exact: true }).click(),
  );
  const weight = await weightsIn(baked.bytes);
  // From 1 at frame 20 to 0 at frame 60 along 3t² - 2t³, of which a quarter of the way has 27/32 left; the brow at half of 1.
  for (const [frame, smile] of [
    [0, 1],
    [20, 1],
    [30, 27 / 32],
    [40, 0.5],
    [60, 0],
    [120, 0],
  ]) {
    expect(weight('smileLeft', frame / 30)).toBeCloseTo(smile, 2);
    expect(weight('browUpLeft', frame / 30)).toBeCloseTo(0.5, 2);
    expect(weight('smileRight', frame / 30)).toBeCloseTo(0, 6);
  }

  await page.getByRole('link', { name: 'Layers', exact: true }).click();
  for (let k = 0; k < 6; k++) await undo(page).click();
  await expect(undo(page)).toBeDisabled();
  await expect(slider(page, 'browUpLeft')).toHaveAttribute('aria-valuenow', '0.00');
});

test('a jaw is moved and made larger, after one question, and keyed', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('main').getByRole('button', { name: 'Open Brindle’s quay run' }).click();
  await expect(page.getByRole('slider', { name: /^hips/ })).toBeVisible();
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await goToFrame(page, 20);
  await pickJoint(page, 'Jaw');
  await tab(page, 'Joint');
  const before = positionsAt(await exported(page), 20);
  await page.getByRole('button', { name: 'Move and scale it too …' }).click();
  await expect(page.getByText('Bones will stretch.')).toBeVisible();
  await page.getByRole('button', { name: 'Let them', exact: true }).click();
  await type(page.getByRole('spinbutton', { name: 'Size of what is picked, as seen' }), '1.5');
  await type(page.getByRole('spinbutton', { name: 'tz of Jaw on the layer' }), '2');
  const project = await exported(page);
  const { Jaw } = channelsOf(layerOf(project, 'Additive 1'));
  for (const channel of ['sx', 'sy', 'sz'] as const)
    expect(Jaw[channel]?.keys).toMatchObject([{ frame: 20, value: 1.5 }]);
  expect(Jaw.tz?.keys).toMatchObject([{ frame: 20, value: 0.02 }]);
  const after = positionsAt(project, 20);
  const moved = Math.hypot(...after.get('Jaw')!.map((value, k) => value - before.get('Jaw')![k]));
  expect(moved).toBeCloseTo(0.02, 6);
});

test('the four layers of the gull are dialled', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('main').getByRole('button', { name: 'Open the gull over the quay' }).click();
  await expect(page.getByRole('slider', { name: /^left wing/ })).toBeVisible();
  const weight = (name: string) => lane(page, name).getByRole('spinbutton', { name: /^Weight of/ });
  const tip = async (frame: number) => positionsAt(await exported(page), frame).get('LeftWingTip')![1];
  await goToFrame(page, 100);
  const banked = await tip(100);
  await page.getByRole('button', { name: 'Mute Bank' }).click();
  const level = await tip(100);
  expect(level - banked).toBeGreaterThan(0.2);
  // A part alone: the left wing stops beating, the right one goes on.
  await page.getByRole('button', { name: /Slow flap\s*additive$/ }).click();
  const wing = page.getByRole('slider', { name: /^left wing/ });
  await wing.press('Enter');
  for (let k = 0; k < 4; k++) await wing.press('ArrowDown');
  const project = await exported(page);
  const slow = layerById(project, 'slow-flap')!;
  expect(Object.keys(slow.mask ?? {})).toEqual(expect.arrayContaining(['leftWing', 'rightWing', 'tail']));
  expect(slow.mask?.rightWing).toBe(1);
  expect(slow.mask?.leftWing).toBeLessThan(1);
  await goToFrame(page, 0);
  await type(weight('Fast flap'), '0.4');
  await expect(weight('Fast flap')).toHaveText('0.40');
});

test('a spider is drawn from above, and each of her legs is a part that is weighed', async ({
  page,
}, info) => {
  const { rig } = spider().build();
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  const still = recorded(rig, 30, 30, () => restPose(rig));
  await dropFile(page, 'spider.glb', writeGlb(rig, still, { name: 'still', metresPerUnit: 1 }));
  await expect(page).toHaveURL(/\/p\//);
  await page.getByRole('link', { name: 'Layers', exact: true }).click();
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  for (const side of ['left', 'right'])
    for (const leg of [1, 2, 3, 4])
      await expect(page.getByRole('slider', { name: new RegExp(`^${side} leg ${leg},`) })).toBeVisible();
  const leg = page.getByRole('slider', { name: /^left leg 3,/ });
  await leg.press('ArrowDown');
  const { layers } = await exported(page);
  expect(layers[1].mask).toMatchObject({ leftLeg3: 0.95, rightLeg3: 1, leftFoot3: 1 });
  const map = page.getByRole('region', { name: 'Body map' });
  await info.attach('the map of a spider', { body: await map.screenshot(), contentType: 'image/png' });
  await map.screenshot({ path: info.outputPath('spider.png') });
});

test('a walk by rule is made anew by its numbers, kept over a reload, and taken away', async ({ page }) => {
  await openDemo(page);
  await page.getByRole('button', { name: 'Add take layer' }).click();
  await page.getByRole('menuitem', { name: /walk by rule/ }).click();
  const walk = page.getByRole('region', { name: 'Walk by rule' });
  await expect(walk).toContainText('Froude 0.21');
  const placeAt = (project: Project, frame: number) => positionsAt(project, frame).get('Hips')!;
  const before = await exported(page);
  const name = before.layers[1].name.startsWith('Walk') ? before.layers[1].name : before.layers.at(-1)!.name;
  const alone = (project: Project): Project => ({
    ...project,
    layers: [project.layers[0], { ...layerOf(project, name), solo: false }],
  });
  const speed = walk.getByRole('spinbutton', { name: 'Speed, metres a second' });
  await type(speed, '0.9');
  await expect(walk).toContainText('Froude 0.09');
  const slow = await exported(page);
  const way = (project: Project) => placeAt(alone(project), 90)[2] - placeAt(alone(project), 30)[2];
  expect(way(before)).toBeCloseTo(2 * 1.35, 1);
  expect(way(slow)).toBeCloseTo(2 * 0.9, 1);
  await type(speed, '2.2');
  await expect(walk.getByRole('note')).toHaveText(/would run/);
  await walk.getByRole('button', { name: 'in place' }).click();
  expect(Math.abs(way(await exported(page)))).toBeLessThan(0.05);
  await expectAccessible(page);
  // Every number was one step; the reload keeps them.
  await undo(page).click();
  await undo(page).click();
  await expect(walk).toContainText('Froude 0.09');
  await expect(page.getByText('saved ✓')).toBeVisible();
  await page.reload();
  await expect(walk).toContainText('Froude 0.09');
  await walk.getByRole('button', { name: 'Take the walk away' }).click();
  await expect(walk).toHaveCount(0);
  expect(channelsOf(layerOf(await exported(page), name))).toEqual({});
});

test('a face channel beyond 1 is held from its finding', async ({ page }) => {
  await openDemo(page);
  await page.getByRole('button', { name: 'Open the face: its channels as sliders' }).click();
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await goToFrame(page, 20);
  await type(page.getByRole('spinbutton', { name: 'smileLeft' }), '1.6');
  await tab(page, 'Findings');
  await page.getByRole('button', { name: /^Notes/ }).click();
  const found = page.getByRole('listitem').filter({ hasText: 'smileLeft' });
  await found
    .getByRole('button', { name: /smileLeft/ })
    .first()
    .click();
  await page.getByRole('button', { name: 'Hold it within 0 and 1' }).click();
  await expect(lane(page, 'Held face')).toBeVisible();
  await expect(found).toHaveCount(0);
});
