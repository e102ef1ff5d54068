import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { projectFromCharacter } from '@evlay/core/edit';
import { readAnyTake, readCharacter, readProject, splitGlb } from '@evlay/core/format';
import { expect, test } from '@playwright/test';
import { zipSync } from 'fflate';
import { validateBytes } from 'gltf-validator';
import {
  CAPTURE,
  downloadBy,
  drawLightly,
  dropFile,
  dropFiles,
  expectAccessible,
  expectDrawn,
  expectSaved,
  exported,
  farthest,
  goToFrame,
  lane,
  openDemo,
  positionsAt,
  undo,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

/** Wick without a motion, as the demo's build leaves him. */
const WICK = readFileSync(join(import.meta.dirname, '../apps/web/dist/demo/wick.glb'));

test('a character and a capture: matched, corrected, set as base, placed, exported', async ({ page }) => {
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  await dropFile(page, 'wick.glb', WICK);
  await expect(page).toHaveURL(/\/p\//);
  await expectDrawn(page);
  await expect(page.getByRole('region', { name: 'Lit layer' })).toContainText('no keys yet');

  // Without a take the character is shown as it rests, beside what belongs there.
  await page.getByRole('link', { name: 'Takes' }).click();
  await expect(page.getByText(/Performances of this character belong here/)).toBeVisible();
  await expect(page.getByRole('img', { name: 'The character at the playhead' })).toBeVisible();

  await dropFile(page, '01_01.bvh', readFileSync(CAPTURE));
  await expect(page).toHaveURL(/\/takes$/);
  const takes = page.getByRole('list', { name: 'Takes' });
  await expect(takes.getByRole('listitem')).toHaveCount(2);
  const chosen = page.getByRole('region', { name: 'Chosen take' });
  await expect(chosen).toContainText('24 of 53 matched');
  await expect(chosen).toContainText('never turn');
  await expectAccessible(page);

  // One row of the table is corrected, and serves the next take from the same source.
  await chosen.getByRole('button', { name: 'Match joints' }).click();
  const table = page.getByRole('region', { name: 'Match joints' });
  await expect(table.getByLabel('Neck follows')).toHaveValue('Neck1');
  await expectAccessible(page);
  await table.getByLabel('Neck follows').focus();
  await table.getByLabel('Neck follows').selectOption('Neck');
  await expect(table.getByRole('row', { name: /^Neck / })).toContainText('by hand');
  await expect(table.getByRole('status')).toHaveText('24 of 53 matched');
  // The row keeps the focus, so that the table is worked through by key.
  await expect(table.getByLabel('Neck follows')).toBeFocused();
  await table.getByLabel('LeftThumb1 follows').selectOption('');
  await expect(chosen).toContainText('23 of 53 matched');
  await table.getByRole('button', { name: 'Done' }).click();
  await dropFile(page, 'again.bvh', readFileSync(CAPTURE));
  await expect(takes.getByRole('listitem')).toHaveCount(4);
  await expect(chosen).toContainText('23 of 53 matched');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(takes.getByRole('listitem')).toHaveCount(2);

  // Trimmed without loss, resampled, and set as base.
  await takes.getByRole('button', { name: 'Choose 01_01, fitted, made of 01_01' }).click();
  const type = async (name: string, value: string) => {
    await chosen.getByRole('spinbutton', { name }).press('Enter');
    await chosen.getByRole('textbox', { name }).fill(value);
    await chosen.getByRole('textbox', { name }).press('Enter');
  };
  await type('First sample that is kept', '200');
  await expect(chosen).toContainText('2552 samples');
  await type('Last sample that is kept', '1400');
  await expect(chosen).toContainText('1201 samples');
  await type('Samples a second', '60');
  await expect(chosen).toContainText('60 a second');
  // Hands that come near the body are kept near, which is shown, and can be left.
  const keeps = chosen.getByRole('button', { name: 'keep their distances' });
  await expect(keeps).toHaveAttribute('aria-pressed', 'true');
  await expect(chosen).toContainText(/up to \d+\.\d cm/);
  await expect(page.getByText('RightHand kept near')).toBeVisible();
  await keeps.click();
  await expect(page.getByText('RightHand kept near')).toHaveCount(0);
  await expect(chosen).toContainText('60 a second');
  await page.keyboard.press('Control+z');
  await expect(page.getByText('RightHand kept near')).toBeVisible();
  // What is found in its motion alone is listed, and a click goes there.
  const worst = page
    .getByRole('list', { name: 'What was found in the take' })
    .getByRole('button', { name: /worst at \d+$/ })
    .first();
  await worst.click();
  const sample = Number(/worst at (\d+)$/.exec((await worst.textContent()) ?? '')?.[1]);
  await expect
    .poll(async () => Number(await page.getByLabel('Sample', { exact: true }).textContent()))
    .toBe(sample);
  await chosen.getByRole('button', { name: 'Set as base' }).click();
  await expect(chosen.getByRole('button', { name: 'It is the base' })).toBeDisabled();
  // A contact that was found is taken out by key.
  const contact = page.getByRole('button', { name: /^LeftFoot stands/ });
  const found = await contact.count();
  // Moved by key it keeps the focus, so that it can be moved on.
  await contact.first().focus();
  for (let k = 0; k < 2; k++) await page.keyboard.press('ArrowRight');
  await expect(contact.first()).toBeFocused();
  await contact.first().press('Delete');
  await expect(contact).toHaveCount(found - 1);

  // Placed by numbers and by the handle in the view.
  await page.getByRole('link', { name: 'Layers' }).click();
  await expectDrawn(page);
  await expect(page.getByRole('spinbutton', { name: 'Last frame of the range' })).toHaveText('600');
  await page.getByRole('button', { name: 'place', exact: true }).click();
  await goToFrame(page, 120);
  const view = (await page.getByRole('img', { name: 'The character at the playhead' }).boundingBox())!;
  const panel = page.getByRole('region', { name: 'Lit layer' });
  await expect(panel.getByText('where it was recorded')).toBeVisible();
  await dragPlace(page, view);
  await expect(panel.getByRole('spinbutton', { name: 'Moved up' })).not.toHaveText(/^-?0\.0+$/);
  await panel.getByRole('spinbutton', { name: 'Turned about the vertical, degrees' }).press('Enter');
  await panel.getByRole('textbox', { name: 'Turned about the vertical, degrees' }).fill('90');
  await panel.getByRole('textbox', { name: 'Turned about the vertical, degrees' }).press('Enter');
  await expect(panel.getByRole('spinbutton', { name: 'Turned about the vertical, degrees' })).toHaveText(
    '90.0',
  );
  await expectSaved(page);

  const exported = await downloadBy(page, () =>
    page.getByRole('button', { name: 'Export the project' }).click(),
  );
  const { project } = await readProject(exported.bytes, exported.name);
  await page.reload();
  await expectDrawn(page);
  // The base is called as the take that it plays.
  expect(project.layers[0].name).toMatch(/^01_01/);
  await expect(lane(page, project.layers[0].name)).toBeVisible();
  await page.getByRole('link', { name: 'Bake' }).click();
  const baked = await downloadBy(page, () => page.getByRole('button', { name: 'Bake to GLB' }).click());
  expect((await validateBytes(baked.bytes)).issues.numErrors).toBe(0);
  const [before, after] = [WICK, baked.bytes].map((bytes) => JSON.parse(splitGlb(bytes).json));
  for (const field of ['meshes', 'materials', 'skins', 'nodes', 'scenes', 'scene'])
    expect(after[field]).toEqual(before[field]);
  const result = projectFromCharacter(await readCharacter(baked.name, baked.bytes));
  const { take } = await readAnyTake(baked.name, baked.bytes);
  expect(take.count).toBe(601);
  for (const frame of [0, 77, 300, 600])
    expect(farthest(positionsAt(result, frame), positionsAt(project, frame))).toBeLessThan(2e-5);
});

/** Drags the arrow of the placing handle that points up; it stands below the character, in the lower middle. */
async function dragPlace(
  page: import('@playwright/test').Page,
  view: { x: number; y: number; width: number; height: number },
): Promise<void> {
  const up = page.getByRole('spinbutton', { name: 'Moved up' });
  // Where exactly the arrow is seen depends on the pose: it is looked for upward from the floor, in the middle and beside it.
  for (const beside of [0, 11, -11, 22, -22]) {
    const x = view.x + view.width / 2 + beside;
    for (let y = view.y + view.height * 0.95; y > view.y + view.height * 0.45; y -= 9) {
      await page.mouse.move(x + 1, y + 1);
      await page.mouse.move(x, y);
      await page.mouse.down();
      await page.mouse.move(x, y - 30, { steps: 2 });
      await page.mouse.up();
      if ((await up.count()) === 0) continue;
      if (Number(await up.textContent()) !== 0) return;
      // Another arrow stood there.
      await page.keyboard.press('Control+z');
    }
    // A drag beside the handle turns the camera.
    await page.keyboard.press('v');
  }
}

test('a .gltf comes with its files in a zip, and a bad one says what and where', async ({ page }) => {
  const { json, bin } = splitGlb(WICK);
  const gltf = JSON.parse(json);
  gltf.buffers[0].uri = 'wick%20skin.bin';
  const text = new TextEncoder().encode(JSON.stringify(gltf));
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  await dropFile(page, 'wick.gltf', text);
  await expect(
    page.getByText(/wick\.gltf: buffers\[0\]\.uri: the file "wick%20skin\.bin" is missing/),
  ).toBeVisible();
  await dropFiles(page, [
    { name: 'wick.gltf', bytes: text },
    { name: 'wick skin.bin', bytes: bin },
  ]);
  await expect(page).toHaveURL(/\/p\//);
  await expectDrawn(page);
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  await dropFile(page, 'wick.zip', zipSync({ 'wick/wick.gltf': text, 'wick/wick skin.bin': bin }));
  await expect(page).toHaveURL(/\/p\//);
  await expectDrawn(page);
  await dropFile(page, 'wick.glb', WICK);
  await expect(page.getByText(/there is no motion in it/)).toBeVisible();
});

test('the demo has takes of all kinds: they are shown, renamed, taken out only when nothing needs them', async ({
  page,
}) => {
  await openDemo(page);
  await page.getByRole('link', { name: 'Takes' }).click();
  const takes = page.getByRole('list', { name: 'Takes' });
  await expect(takes.getByRole('listitem')).toHaveCount(4);
  const chosen = page.getByRole('region', { name: 'Chosen take' });
  await expect(chosen.getByLabel('Name of the take')).toHaveValue('walk');
  // It cannot be done, and says why when it is tried.
  await chosen.getByRole('button', { name: 'Take it out of the project' }).click({ force: true });
  await expect(
    page.getByText(/stays, since the base plays it: set another take as the base first/),
  ).toBeVisible();
  await takes.getByRole('button', { name: 'Choose idle' }).click();
  await chosen.getByLabel('Name of the take').fill('Waiting');
  await chosen.getByLabel('Name of the take').press('Enter');
  await expect(takes.getByRole('button', { name: 'Choose Waiting' })).toBeVisible();
  await page.keyboard.press('Escape');
  await page.keyboard.press('Space');
  await expect
    .poll(async () => Number(await page.getByLabel('Sample', { exact: true }).textContent()))
    .toBeGreaterThan(5);
  await chosen.getByRole('button', { name: 'Add as additive' }).click();
  await expect(lane(page, 'Waiting')).toBeVisible();
  await expect(page.getByRole('region', { name: 'Lit layer' })).toContainText('Waiting');
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('link', { name: 'Takes' }).click();
  await expect(takes.getByRole('button', { name: 'Choose idle' })).toBeVisible();
});

test('opening a long file can be stopped, and the next one opens', async ({ page }) => {
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  // The capture sixteen times over: some 40,000 frames.
  const text = readFileSync(CAPTURE, 'utf8');
  const [head, rows] = text.split(/Frame Time: .*\n/);
  const long = `${head.replace('2752', String(16 * 2752))}Frame Time: .0083333\n${rows.trim()}\n`.concat(
    `${rows.trim()}\n`.repeat(15),
  );
  await page.getByLabel('Motion, character or project file').setInputFiles({
    name: 'long.bvh',
    mimeType: 'application/octet-stream',
    buffer: Buffer.from(long),
  });
  await expect(page.getByRole('status').filter({ hasText: 'Opening long.bvh' })).toBeVisible();
  await page.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByText('It was cancelled; nothing has changed.')).toBeVisible();
  await expect(page).toHaveURL(/\/$/);
  await dropFile(page, '01_01.bvh', readFileSync(CAPTURE));
  await expect(page).toHaveURL(/\/p\//);
  await expectDrawn(page);
});

test('many files at once are takes, fitted alike; what is refused has its reason, one undo takes all back', async ({
  page,
}) => {
  await openDemo(page);
  const text = readFileSync(CAPTURE, 'utf8');
  const [head, rows] = text.split(/Frame Time: .*\n/);
  const lines = rows.trim().split('\n');
  /** Some frames of the capture. */
  const part = (k: number) =>
    Buffer.from(
      `${head.replace('2752', '40')}Frame Time: .0083333\n${lines.slice(100 * k, 100 * k + 40).join('\n')}\n`,
    );
  const names = Array.from({ length: 8 }, (_, k) => `jump-${k + 1}.bvh`);
  await dropFiles(page, [
    ...names.map((name, k) => ({ name, bytes: part(k) })),
    // Two of one name in a folder of a zip, and a file in it that is none.
    {
      name: 'more.zip',
      bytes: zipSync({
        'day/jump-1.bvh': part(9),
        'night/jump-1.bvh': part(10),
        'day/bad.bvh': Buffer.from('HIERARCHY of none'),
      }),
    },
    { name: 'broken.bvh', bytes: Buffer.from('HIERARCHY of none') },
    { name: 'list.docx', bytes: Buffer.from('x') },
  ]);
  await expect(page).toHaveURL(/\/takes$/);
  const takes = page.getByRole('list', { name: 'Takes' });
  const refused = page.getByRole('region', { name: 'Files that were not brought in' });
  await expect(refused.getByRole('listitem')).toHaveText([
    /list\.docx expected/,
    /broken\.bvh line 1/,
    /day\/bad\.bvh line 1/,
  ]);
  // Four of the demo, and ten with ten that were fitted; no name twice.
  await expect(takes.getByRole('listitem')).toHaveCount(24);
  const called = await takes
    .getByRole('checkbox')
    .evaluateAll((all) => all.map((one) => one.getAttribute('aria-label')));
  expect(new Set(called).size).toBe(24);
  expect(called).toContain('Pick jump-1 3, fitted');
  await expectAccessible(page);
  await page.getByRole('button', { name: 'Forget the files that were not brought in' }).click();
  await expect(refused).toHaveCount(0);

  // Found, picked, renamed with a number, and taken out, each in one step.
  await page.getByRole('searchbox', { name: 'Find takes' }).fill('jump-2');
  await expect(takes.getByRole('listitem')).toHaveCount(2);
  await page.getByRole('searchbox', { name: 'Find takes' }).fill('jump');
  await page.getByLabel('Order of the takes').selectOption('by name');
  await takes.getByRole('checkbox', { name: 'Pick jump-3', exact: true }).check();
  await takes.getByRole('checkbox', { name: 'Pick jump-5, fitted' }).click({ modifiers: ['Shift'] });
  const several = page.getByRole('region', { name: 'Picked takes' });
  await expect(several).toContainText('6 picked');
  await several.getByLabel('New name of the picked takes').fill('Hop');
  await several.getByRole('button', { name: 'Rename' }).click();
  await expect(takes.getByRole('checkbox', { name: 'Pick Hop 6' })).toHaveCount(1);
  await page.getByRole('searchbox', { name: 'Find takes' }).fill('Hop');
  await expect(takes.getByRole('listitem')).toHaveCount(6);
  await several.getByRole('button', { name: 'Take the picked takes out of the project' }).click();
  await expect(page.getByText('No take is called so.')).toBeVisible();
  await page.getByRole('searchbox', { name: 'Find takes' }).fill('');
  await expect(takes.getByRole('listitem')).toHaveCount(18);
  for (let k = 0; k < 2; k++) await page.getByRole('button', { name: 'Undo' }).click();
  await expect(takes.getByRole('listitem')).toHaveCount(24);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(takes.getByRole('listitem')).toHaveCount(4);

  // Two that are picked go on from one another, in the order in which they were picked, in one step.
  for (const name of ['idle', 'walk'])
    await takes.getByRole('checkbox', { name: `Pick ${name}`, exact: true }).check();
  await several.getByRole('button', { name: 'Join the picked takes' }).click();
  await expect(page.getByText('2 takes are joined on layers of their own')).toBeVisible();
  const joined = (await exported(page)).layers.filter(({ name }) => /^(idle|walk)/.test(name));
  expect(joined.map(({ name }) => name)).toEqual(['idle', 'walk']);
  expect(joined[1].time!.offset).toBeGreaterThan(30);
  // The seam is shown on Layers, and taken at another crossing in one step.
  await page.getByRole('link', { name: 'Layers' }).click();
  const seams = page.getByRole('region', { name: 'Seams' });
  const crossing = seams.getByRole('combobox', { name: 'Crossing from idle to walk' });
  const before = joined[1].time!.offset;
  await crossing.selectOption({ index: 1 });
  await expect(crossing).toHaveValue('1');
  const moved = (await exported(page)).layers.find(({ name }) => name === 'walk')!;
  expect(moved.time!.offset).not.toBe(before);
  await expectAccessible(page);
  await undo(page).click();
  await expect(seams.getByText(/changed since/)).toBeVisible();
  await seams.getByRole('button', { name: 'Leave the seams' }).click();
  await expect(seams).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  expect((await exported(page)).layers.map(({ name }) => name)).not.toContain('idle');
});
