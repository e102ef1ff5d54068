import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { compileStack, evaluateStack, isCurve, type Project, restPose } from '@evlay/core';
import { readGlbTake, readSkeleton } from '@evlay/core/format';
import { characterOf, jointIndex, ownName, placePose } from '@evlay/core/rig';
import { readSample } from '@evlay/core/take';
import { Document, NodeIO } from '@gltf-transform/core';
import { expect, type Page, test } from '@playwright/test';
import { unzipSync } from 'fflate';
import {
  bakedByCommand,
  downloadBy,
  drawLightly,
  dropFile,
  expectAccessible,
  expectDrawn,
  expectSaved,
  exported,
  goToFrame,
  lane,
  openDemo,
  openDropped,
  pickJoint,
  tab,
  type,
  undo,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

const DEMO = join(import.meta.dirname, '../apps/web/dist/demo');

/** A file of a camera that goes from 0 to 2 metres along x in a second. */
async function movingCamera(): Promise<Buffer> {
  const file = new Document();
  const buffer = file.createBuffer();
  const numbers = (type: 'SCALAR' | 'VEC3', values: readonly number[]) =>
    file.createAccessor().setType(type).setArray(Float32Array.from(values)).setBuffer(buffer);
  const lens = file.createCamera('Lens').setType('perspective').setYFov(0.6).setZNear(0.05);
  const node = file.createNode('Crane').setCamera(lens);
  file.createScene().addChild(node);
  const sampler = file
    .createAnimationSampler()
    .setInput(numbers('SCALAR', [0, 1]))
    .setOutput(numbers('VEC3', [0, 1.6, 5, 2, 1.6, 5]));
  const channel = file.createAnimationChannel().setTargetNode(node).setTargetPath('translation');
  file.createAnimation('Way').addSampler(sampler).addChannel(channel.setSampler(sampler));
  return Buffer.from(await new NodeIO().writeBinary(file));
}

/** Where joints are seen in the scene at a frame. */
function placesAt(project: Project, frame: number): (joint: string) => number[] {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  const { matrices } = placePose(project.rig, pose);
  return (joint) => {
    const o = 16 * jointIndex(project.rig, joint) + 12;
    return [...matrices.subarray(o, o + 3)];
  };
}
const apart = (a: number[], b: number[]) => Math.hypot(...a.map((value, axis) => value - b[axis]));
const names = (project: Project) => project.layers.map(({ name }) => name);
const chips = (page: Page) => page.getByRole('group', { name: 'Characters' }).getByRole('button');

async function undoAll(page: Page): Promise<void> {
  while (await undo(page).isEnabled()) await undo(page).click();
}

/** Moves a further character so that a joint of it is seen somewhere at a frame: by the numbers of its frame. */
async function standSo(page: Page, name: string, joint: string, frame: number, at: number[]): Promise<void> {
  const now = await exported(page);
  const { stand } = now.scene.characters.find((one) => one.name === name)!;
  const seen = placesAt(now, frame)(joint);
  for (const [axis, letter] of ['x', 'y', 'z'].entries())
    await type(
      page.getByRole('spinbutton', { name: `${name}, ${letter}`, exact: true }),
      String(stand!.at[axis] + at[axis] - seen[axis]),
    );
}

test('Brindle joins Wick and is patted, layers go from one to the other, both are baked, all is undone', async ({
  page,
}) => {
  const run = readFileSync(join(DEMO, 'quay-run.evlay'));
  const brindle = bakedByCommand('quay-run.evlay', run, 'glb');
  await openDemo(page);
  const before = await exported(page);

  await test.step('a file that is dropped brings her, with her performance, and lights her', async () => {
    await dropFile(page, 'Brindle.glb', brindle);
    await expect(chips(page)).toHaveText(['Wick', 'Brindle']);
    await expect(lane(page, 'Brindle')).toBeVisible();
    await expectAccessible(page);
  });

  await test.step('he pats her: his hand goes with her head, within 1 cm', async () => {
    await goToFrame(page, 46);
    await tab(page, 'Joint');
    await chips(page).nth(1).click();
    const shoulder = placesAt(before, 46)('LeftUpperArm');
    const by = [shoulder[0] + 0.2, shoulder[1] - 0.35, shoulder[2] + 0.2];
    await standSo(page, 'Brindle', 'Brindle/Head', 46, by);
    // Above all that moves him.
    await lane(page, 'Glance at the gulls').click();
    await expect(chips(page).first()).toHaveAttribute('aria-pressed', 'true');
    await pickJoint(page, 'LeftHand');
    await page.getByRole('combobox', { name: 'Stay on a prop or joint' }).selectOption('Brindle/Head');
    await expect(lane(page, 'LeftHand on Brindle/Head')).toBeVisible();
    await tab(page, 'Layer');
    for (const axis of ['tx', 'ty', 'tz'])
      await type(page.getByRole('spinbutton', { name: `place of the target of LeftHand, ${axis}` }), '0');
    const now = await exported(page);
    const at = placesAt(now, 46);
    expect(apart(at('Brindle/Head'), by)).toBeLessThan(1e-3);
    expect(apart(at('LeftHand'), at('Brindle/Head'))).toBeLessThan(0.01);
    // Only his arm went there.
    expect(apart(placesAt(now, 46)('RightFoot'), placesAt(before, 46)('RightFoot'))).toBeLessThan(1e-9);
  });

  await test.step('what he does with his head she does with hers', async () => {
    await lane(page, 'Glance at the gulls').click({ button: 'right' });
    await page.getByRole('menuitem', { name: 'Copy onto Brindle, mirrored' }).click();
    await expect(lane(page, 'Glance at the gulls on Brindle')).toBeVisible();
    await expect(chips(page).nth(1)).toHaveAttribute('aria-pressed', 'true');
  });

  const project = await exported(page);
  await test.step('both are baked in one go, each as in the scene', async () => {
    await page.getByRole('link', { name: 'Bake' }).click();
    await page.getByRole('button', { name: 'each character' }).click();
    const baked = await downloadBy(page, () => page.getByRole('button', { name: /^Bake/ }).last().click());
    const files = unzipSync(baked.bytes);
    expect(Object.keys(files).filter((one) => one.endsWith('.glb')).length).toBe(2);
    for (const [k, name] of ['Wick', 'Brindle'].entries()) {
      const [file] = Object.keys(files).filter((one) => one.includes(name) && one.endsWith('.glb'));
      const { take } = readGlbTake(file, files[file], k === 0 ? undefined : 'Brindle');
      const { rig } = take;
      expect(rig.joints.map((joint) => joint.name)).toEqual(
        characterOf(project.rig, k).joints.map((joint) => joint.name),
      );
      const pose = restPose(rig);
      for (const frame of [0, 46, 100]) {
        readSample(take, frame - project.range[0], pose);
        const { matrices } = placePose(rig, pose);
        const seen = placesAt(project, frame);
        // Against its own root, since each is baked in its own space.
        const lengths = rig.joints.map((_, j) =>
          apart([...matrices.subarray(16 * j + 12, 16 * j + 15)], [...matrices.subarray(12, 15)]),
        );
        const prefix = k === 0 ? '' : 'Brindle/';
        const root = seen(prefix + rig.joints[0].name);
        for (const [j, joint] of rig.joints.entries())
          expect(Math.abs(lengths[j] - apart(seen(prefix + ownName(joint.name)), root))).toBeLessThan(1e-4);
      }
    }
  });

  await test.step('both go into one GLB, each where the scene has it', async () => {
    await page.getByRole('button', { name: 'one file', exact: true }).click();
    const { bytes, name } = await downloadBy(page, () =>
      page.getByRole('button', { name: /^Bake/ }).last().click(),
    );
    expect(name).toMatch(/\.glb$/);
    const { gltf } = readSkeleton(bytes);
    expect(gltf.animations?.filter((one) => one.name === project.name).length).toBe(1);
    const top = gltf.nodes!.find((node) => node.name === 'Brindle' && node.children)!;
    const { at } = project.scene.characters[1].stand!;
    expect(apart([...top.translation!], [...at])).toBeLessThan(1e-9);
    await expect(page.getByText('characters: Wick, Brindle')).toBeVisible();
  });

  await test.step('it is as it was after the page is opened anew', async () => {
    await page.getByRole('link', { name: 'Layers' }).click();
    await expectSaved(page);
    await undoAll(page);
    await expect(chips(page)).toHaveCount(0);
    const after = await exported(page);
    expect(names(after)).toEqual(names(before));
    expect(after.scene.characters.length).toBe(1);
    for (const frame of [0, 46, 88])
      for (const { name } of before.rig.joints)
        expect(apart(placesAt(after, frame)(name), placesAt(before, frame)(name))).toBe(0);
    const redo = page.getByRole('button', { name: 'Redo' });
    while (await redo.isEnabled()) await redo.click();
    await expectSaved(page);
    await page.reload();
    await expectDrawn(page, false);
    await expect(chips(page)).toHaveText(['Wick', 'Brindle']);
    const again = await exported(page);
    expect(names(again)).toEqual(names(project));
    for (const joint of ['LeftHand', 'Brindle/Head'])
      expect(apart(placesAt(again, 46)(joint), placesAt(project, 46)(joint))).toBeLessThan(1e-6);
  });
});

test('the lantern goes from the hook on to a second figure; a cart goes along a path, seen through a camera', async ({
  page,
}) => {
  await openDropped(page, join(DEMO, 'lantern-hook.evlay'));
  const before = await exported(page);
  const [lantern] = before.scene.props;

  await test.step('a rope hangs from his hand to the lantern, as long as it was, and goes again', async () => {
    await pickJoint(page, 'RightHand');
    await page.getByRole('combobox', { name: 'Find a joint by name' }).fill(lantern.name);
    await page
      .getByRole('listbox', { name: 'Joints found' })
      .getByRole('option', { name: lantern.name, exact: true })
      .click({ modifiers: ['Shift'] });
    await page.getByRole('button', { name: '+ rope' }).click();
    await expect(chips(page)).toHaveText(['Wick', 'Rope']);
    await expectAccessible(page);
    const now = await exported(page);
    const chain = now.limbs['Rope/rope']!.chain;
    for (const frame of [30, 46, 88]) {
      const at = placesAt(now, frame);
      expect(apart(at('Rope/Start'), at('RightHand'))).toBeLessThan(1e-4);
      const links = chain.slice(1).map((joint, k) => apart(at(joint), at(chain[k])));
      expect(Math.max(...links) / Math.min(...links)).toBeLessThan(1.001);
    }
    expect(apart(placesAt(now, 46)('Rope/End'), placesAt(now, 46)(lantern.name))).toBeLessThan(1e-4);
    await page.getByRole('button', { name: /^Undo/ }).click();
    await expect(chips(page)).toHaveCount(0);
  });

  await test.step('a second Wick takes the lantern: from then on it goes with his hand', async () => {
    await tab(page, 'Joint');
    // One with the same joints, dropped, would be a take of the first.
    await page.locator('input[aria-label="Add a character from a file"]').setInputFiles({
      name: 'Keeper.glb',
      mimeType: 'model/gltf-binary',
      buffer: readFileSync(join(DEMO, 'wick.glb')),
    });
    await expect(chips(page).nth(1)).toHaveText('Keeper');
    await goToFrame(page, 90);
    const at = placesAt(await exported(page), 90)(lantern.name);
    await standSo(page, 'Keeper', 'Keeper/RightHand', 90, [at[0], at[1] + 0.1, at[2] + 0.05]);
    await pickJoint(page, lantern.name);
    await page.getByRole('combobox', { name: 'Stay on a prop or joint' }).selectOption('Keeper/RightHand');
    const now = await exported(page);
    const layer = now.layers.find(({ name }) => name === `${lantern.name} on Keeper/RightHand`)!;
    expect(layer.span?.end).toBeGreaterThan(90);
    // In full where it was made, and untouched before its layer comes in.
    const held = placesAt(now, 90);
    expect(apart(held(lantern.name), at)).toBeLessThan(1e-4);
    const start = Math.floor(layer.span?.start ?? 0) - 1;
    if (start >= 0)
      expect(apart(placesAt(now, start)(lantern.name), placesAt(before, start)(lantern.name))).toBe(0);
    await undoAll(page);
    expect(names(await exported(page))).toEqual(names(before));
  });

  await test.step('a box goes along a path that gets a point more and is closed', async () => {
    await page.keyboard.press('Escape');
    await tab(page, 'Joint');
    await page.getByRole('button', { name: '+ box' }).click();
    await page.getByRole('button', { name: 'Go along a path' }).click();
    await tab(page, 'Layer');
    await page.getByRole('button', { name: 'Add a point to the path of Box' }).click();
    await page.getByRole('button', { name: 'closed', exact: true }).click();
    await page.getByRole('button', { name: 'lean', exact: true }).click();
    const now = await exported(page);
    const [target, ...more] = now.layers.flatMap(({ content }) =>
      content.kind === 'curves' ? content.targets.filter(({ path }) => path) : [],
    );
    expect(more).toEqual([]);
    expect(target.path).toMatchObject({ closed: true, heading: true });
    expect(target.path!.points.length).toBe(4);
    expect(isCurve(target.turn!.rz)).toBe(true);
    expect(apart(placesAt(now, 0)('Box'), placesAt(now, 60)('Box'))).toBeGreaterThan(0.2);
    await expectAccessible(page);
  });

  await test.step('a camera is looked through, in the ratio of a film, and left', async () => {
    await page.keyboard.press('Escape');
    await tab(page, 'Joint');
    await page.getByRole('button', { name: '+ camera' }).click();
    await page.getByRole('button', { name: 'look through' }).click();
    await page.getByRole('combobox', { name: 'Ratio of the picture' }).selectOption({ label: '2.39 : 1' });
    await expectAccessible(page);
    await page.getByRole('button', { name: 'Leave the camera' }).click();
    await expect(page.getByRole('button', { name: 'Leave the camera' })).toHaveCount(0);
    expect((await exported(page)).scene.props.at(-1)).toMatchObject({ camera: { fov: expect.any(Number) } });
    // One of a file that goes two metres sideways in a second comes with its way, as one step.
    const count = (await exported(page)).layers.length;
    await page.keyboard.press('Escape');
    await tab(page, 'Joint');
    await page
      .locator('input[aria-label="Bring in a prop or cameras (.glb)"]')
      .setInputFiles({ name: 'crane.glb', mimeType: 'model/gltf-binary', buffer: await movingCamera() });
    await expect(lane(page, 'Crane moves')).toBeVisible();
    const filmed = await exported(page);
    expect(filmed.layers).toHaveLength(count + 1);
    expect(filmed.scene.props.at(-1)).toMatchObject({ name: 'Crane' });
    const way = [0, 15, 30].map((frame) => placesAt(filmed, frame)('Crane'));
    expect(way.map(([x]) => x)).toEqual([0, 1, 2].map((x) => expect.closeTo(x, 3)));
    await undo(page).click();
    expect((await exported(page)).layers).toHaveLength(count);
    await undoAll(page);
    expect((await exported(page)).scene.props.map(({ name }) => name)).toEqual(
      before.scene.props.map(({ name }) => name),
    );
  });
});
