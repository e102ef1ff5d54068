import { channelsOf, keyFrames, type Project } from '@evlay/core';
import { everyNth, framesWithKeys, planBake } from '@evlay/core/bake';
import { projectFromCharacter } from '@evlay/core/edit';
import { readAnyTake, readCharacter } from '@evlay/core/format';
import { rigHeight } from '@evlay/core/rig';
import { expect, type Page, test } from '@playwright/test';
import { unzipSync } from 'fflate';
import { validateBytes } from 'gltf-validator';
import {
  downloadBy,
  drawLightly,
  expectAccessible,
  expectDrawn,
  expectSaved,
  exported,
  farthest,
  goToFrame,
  lane,
  openDemo,
  pickJoint,
  positionsAt,
  rotationAt,
  tab,
  type,
  undo,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

/** The largest distance of joints between two projects, over some frames of their range. */
const apart = (a: Project, b: Project): number =>
  Math.max(
    ...[0, 17, 46, 77, 101, 120].map((frame) => farthest(positionsAt(a, frame), positionsAt(b, frame))),
  );

const panel = (page: Page) => page.getByRole('region', { name: 'Merge layers' });
const result = (page: Page) => panel(page).getByRole('status', { name: 'What comes out' });

test('layers are merged after a look at what comes out, keyed on, and undone in one step', async ({
  page,
}) => {
  await openDemo(page);
  const before = await exported(page);
  const tall = rigHeight(before.rig);

  await test.step('a run becomes one override layer, and what it hides is said', async () => {
    await page.getByRole('button', { name: /Lantern arm\s*override$/ }).click();
    await tab(page, 'Layer');
    // It has the keys as soon as it opens: Escape leaves all as it is.
    await page.getByRole('button', { name: 'Merge with the layer below' }).click();
    await expect(panel(page)).toBeFocused();
    await page.keyboard.press('Escape');
    await expect(panel(page)).toBeHidden();
    await page.getByRole('button', { name: 'Merge with the layer below' }).click();
    await expect(panel(page).getByText('one override layer, “Lantern arm”')).toBeVisible();
    await expect(panel(page).getByText(/no longer shows through in .*right arm/)).toBeVisible();
    await expect(result(page)).toHaveText(
      /\d+ keys \(there were \d+\), where every frame would be [\d,]+; at most 0\.\d+ mm off/,
    );
    await expectAccessible(page);
    // Nothing has happened yet.
    await expect(lane(page, 'Weary lean')).toBeVisible();
    await panel(page).getByRole('button', { name: 'Merge', exact: true }).click();
    await expect(panel(page)).toBeHidden();
    const after = await exported(page);
    expect(after.layers.map(({ name }) => name)).toEqual(['Walk', 'Lantern arm', 'Glance at the gulls']);
    expect(apart(after, before)).toBeLessThan(tall / 1000);
    await undo(page).click();
    expect((await exported(page)).layers.map(({ id }) => id)).toEqual(before.layers.map(({ id }) => id));
  });

  await test.step('the whole stack becomes a keyed base that takes keys, and is there after a reload', async () => {
    await page.keyboard.press('Control+k');
    await page.getByRole('combobox').last().fill('Merge everything');
    await page.keyboard.press('Enter');
    await type(panel(page).getByRole('spinbutton', { name: 'Millimetres that joints may be off' }), '4');
    await expect(result(page)).toHaveText(/at most [0-3]\.\d+ mm off/);
    await panel(page).getByRole('button', { name: 'Merge', exact: true }).click();
    const merged = await exported(page);
    expect(merged.layers).toHaveLength(1);
    expect(merged.takes.map(({ name }) => name)).toEqual(before.takes.map(({ name }) => name));
    expect(apart(merged, before)).toBeLessThan((5 * tall) / 1700);
    await goToFrame(page, 46);
    await pickJoint(page, 'Head');
    await type(page.getByRole('spinbutton', { name: 'rx of Head on the layer' }), '+20');
    expect(rotationAt(await exported(page), 'Head', 46)).not.toEqual(rotationAt(merged, 'Head', 46));
    await expectSaved(page);
    await page.reload();
    await expectDrawn(page);
    await undo(page).click();
    await undo(page).click();
    await expect(lane(page, 'Lantern arm')).toBeVisible();
    expect(apart(await exported(page), before)).toBe(0);
  });

  await test.step('every frame of the base alone is a take', async () => {
    await page.getByRole('button', { name: /Walk\s*base$/ }).click();
    await tab(page, 'Layer');
    await page.getByRole('button', { name: 'make keys of it' }).click();
    await panel(page).getByRole('button', { name: 'every frame' }).click();
    await expect(result(page)).toHaveText(/every frame of 53 joints/);
    await panel(page).getByRole('button', { name: 'Merge', exact: true }).click();
    const after = await exported(page);
    expect(after.takes).toHaveLength(before.takes.length + 1);
    expect(apart(after, before)).toBeLessThan(tall / 20_000);
    await undo(page).click();
  });

  await test.step('keys of the base stand when their take did, are corrected, and looked at anew', async () => {
    const spans = (name: string) => page.getByRole('button', { name: new RegExp(`^${name} stands, `) });
    const last = (name: string) => spans(name).last().getAttribute('aria-label');
    // Its last stance is shortened by hand before it becomes keys.
    await expect(spans('LeftFoot')).toHaveCount(4);
    await spans('LeftFoot').last().press('Alt+ArrowRight');
    const [, from] = /samples ([\d.]+) to/.exec((await last('LeftFoot'))!)!;
    await page.getByRole('button', { name: 'make keys of it' }).click();
    await expect(result(page)).toHaveText(/keys, where every frame would be/);
    await panel(page).getByRole('button', { name: 'Merge', exact: true }).click();
    await expect(spans('left leg')).toHaveCount(4);
    expect(await last('left leg')).toContain(`frames ${from} to`);
    await spans('left leg').first().press('Delete');
    await expect(spans('left leg')).toHaveCount(3);
    await expect(page.getByText('7 kept beside the keys')).toBeVisible();
    await page.getByRole('button', { name: 'find anew' }).click();
    await expect(spans('left leg')).toHaveCount(4);
    await expect(page.getByText(/kept beside the keys/)).toHaveCount(0);
    for (let k = 0; k < 4; k++) await undo(page).click();
    expect(apart(await exported(page), before)).toBe(0);
  });
});

test('a bake has few keys as the chart says, is cancelled and done again; variants come in one zip', async ({
  page,
}) => {
  await openDemo(page);
  for (let k = 0; k < 2; k++) await page.getByRole('button', { name: 'Keep as variant' }).click();
  const project = await exported(page);
  await page.getByRole('link', { name: 'Bake' }).click();

  await test.step('a point of the chart is chosen, and the file keeps to it', async () => {
    const format = page.getByRole('region', { name: 'Format' });
    await format.getByRole('button', { name: 'few keys' }).click();
    const points = page.getByRole('list', { name: 'Keys for how far they may be off' }).getByRole('button');
    await expect(points).toHaveCount(6);
    await expectAccessible(page);
    await points.nth(3).click();
    await expect(points.nth(3)).toHaveAttribute('aria-pressed', 'true');
    const shown = page.getByRole('spinbutton', { name: 'Millimetres that joints may be off' });
    const millimetres = Number(await shown.textContent());
    const baked = await downloadBy(page, () => page.getByRole('button', { name: 'Bake to GLB' }).click());
    await expect(page.getByText(/\d+ keys, where every sample would be 6,534/)).toBeVisible();
    expect((await validateBytes(baked.bytes)).issues.numErrors).toBe(0);
    const read = projectFromCharacter(await readCharacter(baked.name, baked.bytes));
    const { take } = await readAnyTake(baked.name, baked.bytes);
    expect(take.count).toBeGreaterThan(100);
    for (const frame of [0, 30, 60, 120])
      expect(farthest(positionsAt({ ...read, fps: 30 }, frame), positionsAt(project, frame))).toBeLessThan(
        (1.1 * millimetres) / 1000 / project.metresPerUnit,
      );
  });

  await test.step('a long one is cancelled, and the next is done', async () => {
    await type(page.getByRole('spinbutton', { name: 'Last frame to bake' }), '40000');
    await page.getByRole('button', { name: 'Bake to GLB' }).click();
    await expect(page.getByRole('progressbar', { name: 'Baking' })).not.toHaveAttribute('aria-valuenow', '0');
    await page.getByRole('button', { name: 'Cancel' }).click();
    await expect(page.getByText('The bake was cancelled')).toBeVisible();
    await type(page.getByRole('spinbutton', { name: 'Last frame to bake' }), '60');
  });

  await test.step('each variant is a file in a zip, with a list of what they are', async () => {
    await page.getByRole('button', { name: 'its 2 variants' }).click();
    const { name, bytes } = await downloadBy(page, () =>
      page.getByRole('button', { name: 'Bake 2 variants to GLB' }).click(),
    );
    expect(name).toBe('Lamp-lighting.zip');
    const files = unzipSync(bytes);
    const manifest = JSON.parse(new TextDecoder().decode(files['manifest.json']));
    expect(manifest.files.map(({ piece }: { piece: string }) => piece)).toEqual(
      project.variants.map((variant) => variant.name),
    );
    for (const { file, samples, keys } of manifest.files) {
      expect(samples).toBe(planBake(project, {}).count);
      expect(keys).toBeGreaterThan(0);
      expect((await validateBytes(files[file])).issues.numErrors).toBe(0);
    }
  });

  await test.step('stretches between marks are animations of one file, on the spot', async () => {
    await page.getByRole('link', { name: 'Layers' }).click();
    await expect(lane(page, 'Walk')).toBeVisible();
    for (const frame of [0, 50, 90]) {
      await goToFrame(page, frame);
      await page.keyboard.press('Shift+G');
      await expect(
        page.getByRole('button', { name: new RegExp(`Go to the mark .* at frame ${frame}$`) }),
      ).toBeVisible();
    }
    await page.getByRole('link', { name: 'Bake' }).click();
    // Wick's root is his hips: they cannot lie on the floor.
    await expect(page.getByRole('button', { name: 'root bone' })).toBeDisabled();
    await page.getByRole('button', { name: 'between marks' }).click();
    await page.getByRole('button', { name: 'one file' }).click();
    await page.getByRole('button', { name: 'on the spot' }).click();
    const { bytes } = await downloadBy(page, () =>
      page.getByRole('button', { name: 'Bake 3 stretches to GLB' }).click(),
    );
    await expect(page.getByText('animations: Mark 1, Mark 2, Mark 3')).toBeVisible();
    expect((await validateBytes(bytes)).issues.numErrors).toBe(0);
    const { take } = await readAnyTake('marks.glb', bytes, 'Mark 2');
    const { values, joints } = take.translations;
    const [x, z] = [0, 2].map((axis) =>
      Array.from(
        { length: take.count },
        (_, k) => values[3 * (k * joints.length + joints.indexOf(0)) + axis],
      ),
    );
    for (const list of [x, z]) expect(Math.max(...list) - Math.min(...list)).toBeLessThan(1e-6);
    await page.getByRole('button', { name: 'CSV' }).click();
    await page.getByRole('button', { name: 'the stack' }).click();
    const csv = await downloadBy(page, () => page.getByRole('button', { name: 'Bake to CSV' }).click());
    const lines = new TextDecoder().decode(csv.bytes).trim().split('\r\n');
    expect(lines).toHaveLength(122);
    expect(lines[0].split(',').slice(0, 3)).toEqual(['frame', 'seconds', 'Hips.tx']);
  });

  await test.step('some joints on the frames with keys become a layer, all layers a base of every third frame', async () => {
    const into = page.getByRole('region', { name: 'Into the project' });
    await page.getByRole('button', { name: 'travels' }).click();
    await into.getByRole('button', { name: 'some' }).click();
    await into.getByRole('button', { name: 'a layer on top' }).click();
    await expect(page.getByText('No joints are chosen')).toBeVisible();
    await into.getByRole('button', { name: 'right arm' }).click();
    await into.getByRole('button', { name: 'with keys' }).click();
    await expect(into.getByRole('button', { name: 'a take' })).toBeDisabled();
    await expectAccessible(page);
    await into.getByRole('button', { name: 'a layer on top' }).click();
    await expect(into.getByRole('status')).toHaveText(/^The layer “Bake”, on top: \d+ keys$/);
    const over = await exported(page);
    const layer = over.layers.at(-1)!;
    const arm = over.rig.joints.flatMap(({ name }, j) => (over.parts[j] === 'rightArm' ? name : []));
    expect(Object.keys(channelsOf(layer)).sort()).toEqual(arm.sort());
    const frames = framesWithKeys(project, project.range);
    expect(keyFrames(layer)).toEqual(frames);
    for (const frame of frames)
      expect(farthest(positionsAt(over, frame), positionsAt(project, frame))).toBeLessThan(1e-4);

    await into.getByRole('button', { name: 'all' }).click();
    await into.getByRole('button', { name: 'every nth' }).click();
    await type(page.getByRole('spinbutton', { name: 'Frames from one to the next' }), '3');
    await into.getByRole('button', { name: 'a new base' }).click();
    await expect(into.getByRole('status')).toHaveText(
      /^All layers became one base: [\d,]+ keys; what 2 variants said of layers is gone/,
    );
    const folded = await exported(page);
    expect(folded.layers).toHaveLength(1);
    expect(keyFrames(folded.layers[0])).toEqual(everyNth([0, 120], 3));
    expect(farthest(positionsAt(folded, 60), positionsAt(project, 60))).toBeLessThan(1e-4);
    await undo(page).click();
    await undo(page).click();
    expect((await exported(page)).layers.map(({ name }) => name)).toEqual(
      project.layers.map(({ name }) => name),
    );
  });
});

test('a finished take is taken apart over the base, and one of its corrections is turned down', async ({
  page,
}) => {
  await openDemo(page);
  const before = await exported(page);
  await page.getByRole('link', { name: 'Bake' }).click();
  await page.getByRole('button', { name: 'a take', exact: true }).click();
  await expect(page.getByText('The take “Bake”, on Takes: 121 samples')).toBeVisible();
  await page.getByRole('link', { name: 'Takes' }).click();
  await page.getByRole('button', { name: /^Choose Bake/ }).click();
  await page.getByRole('button', { name: 'Compare with the base' }).click();
  const count = page.getByRole('spinbutton', { name: 'Layers that it is taken apart into' });
  await expect(count).toHaveText(/\d/);
  await type(count, '6');
  await expectAccessible(page);
  await page.getByRole('button', { name: 'Add as layers over “Walk”' }).click();
  await expect(page.getByText(/6 layers, and what is left: at most/)).toBeVisible();

  // Without the layers that were there the sum is the take again.
  const now = await exported(page);
  const parts = now.layers.slice(0, 8);
  expect(parts.map(({ mode }) => mode)).toEqual(['override', ...Array(7).fill('additive')]);
  const sum = { ...now, layers: parts };
  expect(apart(sum, before)).toBeLessThan(rigHeight(before.rig) / 1500);
  // The head is turned down: nothing else changes.
  await page.getByRole('link', { name: 'Layers' }).click();
  const head = parts.find(({ name }) => name === 'Head')!;
  const calm = { ...sum, layers: parts.map((layer) => (layer === head ? { ...layer, weight: 0 } : layer)) };
  const legs = ['Hips', 'LeftFoot', 'RightFoot', 'LeftHand'];
  expect(farthest(positionsAt(calm, 77), positionsAt(sum, 77), legs)).toBeLessThan(1e-6);
  expect(rotationAt(calm, 'Head', 77)).not.toEqual(rotationAt(sum, 'Head', 77));
  await page.getByRole('button', { name: 'Mute Head', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Mute Head', exact: true })).toHaveAttribute(
    'aria-pressed',
    'true',
  );
  for (let k = 0; k < 3; k++) await undo(page).click();
  await expect(undo(page)).toBeDisabled();
  expect((await exported(page)).layers.map(({ id }) => id)).toEqual(before.layers.map(({ id }) => id));
});
