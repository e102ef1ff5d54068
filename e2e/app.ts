import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { AxeBuilder } from '@axe-core/playwright';
import { compileStack, evaluateStack, type Project, restPose } from '@evlay/core';
import { readProject } from '@evlay/core/format';
import { globalMatrices } from '@evlay/core/rig';
import { expect, type Locator, type Page } from '@playwright/test';

/** The one capture that tests use, from Debian's package assimp-testmodels. */
export const CAPTURE = '/usr/share/assimp/models/BVH/01_01.bvh';

/** Runs the command line on a project file that was exported, and returns what it bakes. */
export function bakedByCommand(
  name: string,
  project: Uint8Array,
  format: string,
  ...flags: readonly string[]
): Buffer {
  const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
  writeFileSync(join(folder, name), project);
  const out = join(folder, `out.${format}`);
  const call = ['apps/cli/bin/evlay.mjs', 'bake', join(folder, name), '--out', out, ...flags];
  execFileSync(process.execPath, call, { stdio: 'ignore' });
  return readFileSync(out);
}

/** Drops a file onto the page, as from a file manager. */
export const dropFile = (page: Page, name: string, bytes: Uint8Array): Promise<void> =>
  dropFiles(page, [{ name, bytes }]);

/** Drops several files at once. */
export async function dropFiles(
  page: Page,
  files: readonly { readonly name: string; readonly bytes: Uint8Array }[],
): Promise<void> {
  await page.evaluate(
    (list) => {
      const transfer = new DataTransfer();
      for (const { name, base64 } of list)
        transfer.items.add(new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], name));
      window.dispatchEvent(
        new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }),
      );
    },
    files.map(({ name, bytes }) => ({ name, base64: Buffer.from(bytes).toString('base64') })),
  );
}

/** Opens a project from a file that is dropped on the screen Projects. */
export async function openDropped(page: Page, path: string): Promise<void> {
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  await dropFile(page, basename(path), readFileSync(path));
  await expect(page).toHaveURL(/\/p\//);
  await expectDrawn(page);
}

export async function openDemo(page: Page): Promise<void> {
  await page.goto('/');
  await page.getByRole('main').getByRole('button', { name: 'Open the demo' }).click();
  await expect(page).toHaveURL(/\/p\//);
  await expectDrawn(page);
  // The lanes know how much room they have, and show all four.
  const lanes = page.getByRole('list', { name: 'Layers, the topmost first' });
  await expect(lanes.getByRole('button', { name: /Walk\s*base$/ })).toBeVisible();
}

/** Waits until the view has a canvas, and on the screen Layers until the body map is there. */
export async function expectDrawn(page: Page, map = true): Promise<void> {
  await expect(
    page.getByRole('img', { name: 'The character at the playhead' }).locator('canvas'),
  ).toBeVisible();
  if (map) await expect(page.getByRole('slider', { name: /^hips/ })).toBeVisible();
}

/**
 * Draws with less, as the command for slow machines does, where no picture is judged. The preference is set before the
 * page starts.
 */
export async function drawLightly(page: Page): Promise<void> {
  await page.addInitScript(() =>
    localStorage.setItem(
      'evlay.preferences',
      JSON.stringify({
        state: { lightDisplay: true, session: { mapFold: 'open', surroundings: false } },
        version: 0,
      }),
    ),
  );
}

/** Waits until the view shows a picture with a character in it: many different colours, and not only a floor. */
export async function expectPicture(page: Page): Promise<void> {
  const view = page.getByRole('img', { name: 'The character at the playhead' });
  const colours = async () => {
    const png = (await view.screenshot()).toString('base64');
    return page.evaluate(async (data) => {
      const bytes = Uint8Array.from(atob(data), (char) => char.charCodeAt(0));
      const image = await createImageBitmap(new Blob([bytes], { type: 'image/png' }));
      const context = new OffscreenCanvas(image.width, image.height).getContext('2d')!;
      context.drawImage(image, 0, 0);
      // The middle of the picture, where the character stands.
      const [w, h] = [image.width >> 2, image.height >> 1];
      const pixels = new Uint32Array(context.getImageData((3 * w) >> 1, h >> 1, w, h).data.buffer);
      return new Set(pixels).size;
    }, png);
  };
  await expect.poll(colours).toBeGreaterThan(500);
}

/** Steps the playhead to a frame by keys. */
export async function goToFrame(page: Page, frame: number): Promise<void> {
  await page.keyboard.press('Home');
  for (let k = 0; k < Math.floor(frame / 10); k++) await page.keyboard.press('Shift+ArrowRight');
  for (let k = 0; k < frame % 10; k++) await page.keyboard.press('ArrowRight');
  await expect(page.getByLabel('Frame', { exact: true })).toHaveText(String(frame).padStart(4, '0'));
}

/** Picks a part on the body map by key. */
export async function pickPart(page: Page, part: string): Promise<void> {
  await page.getByRole('slider', { name: new RegExp(`^${part},`) }).press('Enter');
}

/** Where the handles of the picked joint are seen. */
export async function handlesOf(page: Page, joint: string): Promise<{ x: number; y: number }> {
  const tag = page.locator(`[data-joint="${joint}"]`);
  await expect(tag).toHaveCSS('transform', /matrix/);
  // It is written when the view is drawn, which is at the next frame.
  await nextFrames(page);
  return (await tag.boundingBox())!;
}

/** Waits until the page has drawn twice. */
export const nextFrames = (page: Page): Promise<unknown> =>
  page.evaluate(() => new Promise((drawn) => requestAnimationFrame(() => requestAnimationFrame(drawn))));

/** Drags from the middle of the handles of the picked joint. */
export async function dragHandles(page: Page, joint: string, dx: number, dy: number): Promise<void> {
  const { x, y } = await handlesOf(page, joint);
  // A small step first, so that the handles see the pointer before it goes down.
  await page.mouse.move(x + 1, y + 1);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + dx / 2, y + dy / 2, { steps: 2 });
  await page.mouse.move(x + dx, y + dy, { steps: 2 });
  await page.mouse.up();
}

/** The row of a layer in the lanes. */
export const lane = (page: Page, name: string) =>
  page
    .getByRole('listitem')
    .filter({ has: page.getByRole('button', { name: new RegExp(`^\\S{1,2}${name}|${name}`) }) })
    .first();

/** The strip of a layer's keys in its lane. */
const keyStrip = (page: Page, layer: string) => lane(page, layer).locator('[data-strip]').first();

/** Waits until a layer's lane shows keys at these frames and no others; none where there are none. */
export async function expectKeys(page: Page, layer: string, ...frames: readonly number[]): Promise<void> {
  const strip = keyStrip(page, layer);
  if (frames.length === 0) await expect(strip).toHaveCount(0);
  else await expect(strip).toHaveAttribute('aria-label', `Keys of ${layer} at ${frames.join(', ')}`);
}

/** Where a key at a frame of the project is seen on a strip of keys, the whole range being shown. */
export async function keyOn(page: Page, strip: Locator, frame: number): Promise<{ x: number; y: number }> {
  const box = (await strip.boundingBox())!;
  const ends = ['First', 'Last'].map((end) =>
    page.getByRole('spinbutton', { name: `${end} frame of the range` }),
  );
  const [first, last] = await Promise.all(ends.map(async (end) => Number(await end.textContent())));
  const room = Math.max(1, (last - first) * 0.03);
  const share = (frame - first + room) / (last - first + 2 * room);
  return { x: box.x + share * box.width, y: box.y + box.height - 5 };
}

/** Where a key of a layer is seen in its lane. */
export const keyAt = (page: Page, layer: string, frame: number) => keyOn(page, keyStrip(page, layer), frame);

/** Waits until every edit is on disk. */
export const expectSaved = (page: Page) => expect(page.getByText('saved ✓')).toBeVisible();

/** Downloads what a click offers. */
export async function downloadBy(
  page: Page,
  click: () => Promise<void>,
): Promise<{ name: string; bytes: Uint8Array }> {
  const [download] = await Promise.all([page.waitForEvent('download'), click()]);
  return { name: download.suggestedFilename(), bytes: readFileSync(await download.path()) };
}

/** World positions of the joints of a project at a frame, by the core's own evaluation. */
export function positionsAt(project: Project, frame: number): Map<string, number[]> {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  const matrices = globalMatrices(project.rig, pose, new Float64Array(16 * project.rig.joints.length));
  return new Map(
    project.rig.joints.map((joint, j) => [joint.name, [...matrices.subarray(16 * j + 12, 16 * j + 15)]]),
  );
}

export function farthest(a: Map<string, number[]>, b: Map<string, number[]>, joints = [...a.keys()]): number {
  return Math.max(
    ...joints.map((joint) => Math.hypot(...a.get(joint)!.map((value, axis) => value - b.get(joint)![axis]))),
  );
}

/**
 * No fault that axe finds on the screen (WCAG 2.2 A and AA). There are no frames of other origins, so that it needs no
 * second page to bring together what it found.
 */
export const expectAccessible = async (page: Page): Promise<void> =>
  expect(await axeFaults(page)).toEqual([]);

/** What axe finds on the screen, each with where. */
export async function axeFaults(page: Page): Promise<string[]> {
  const { violations } = await new AxeBuilder({ page })
    .options({ resultTypes: ['violations'] })
    .setLegacyMode()
    .withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'])
    .analyze();
  return violations.map(
    ({ id, nodes }) => `${id}: ${nodes.map((node) => node.html.slice(0, 120)).join(' | ')}`,
  );
}

/** The button that undoes. */
export const undo = (page: Page) => page.getByRole('button', { name: 'Undo' });
/** Opens a tab of the panel. */
export const tab = (page: Page, name: string) => page.getByRole('tab', { name }).click();

/** The open project, as it is exported. */
export async function exported(page: Page): Promise<Project> {
  const { name, bytes } = await downloadBy(page, () =>
    page.getByRole('button', { name: 'Export the project' }).click(),
  );
  return (await readProject(bytes, name)).project;
}

/** Picks a joint by a part of its name that no other has. */
export async function pickJoint(page: Page, name: string): Promise<void> {
  await tab(page, 'Joint');
  await page.getByRole('combobox', { name: 'Find a joint by name' }).fill(name);
  await page
    .getByRole('listbox', { name: 'Joints found' })
    .getByRole('option', { name, exact: true })
    .click();
  await expect(page.locator(`[data-joint="${name}"]`)).toHaveCSS('transform', /matrix/);
}

/** Types into a number of the page. */
export async function type(number: Locator, text: string): Promise<void> {
  await number.press('Enter');
  await number.page().keyboard.press('Control+a');
  await number.page().keyboard.type(text);
  await number.page().keyboard.press('Enter');
}

/** Where a joint is turned at a frame, in its own axes. */
export function rotationAt(project: Project, joint: string, frame: number): number[] {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  const j = project.rig.joints.findIndex(({ name }) => name === joint);
  return [...pose.rotations.subarray(4 * j, 4 * j + 4)];
}

/** Opens the rows of the panel Layer that are folded under a name. */
export async function openFold(page: Page, name: string): Promise<void> {
  await tab(page, 'Layer');
  const rows = page.getByRole('button', { name: new RegExp(`^${name}`) });
  if ((await rows.getAttribute('aria-expanded')) === 'false') await rows.click();
}
