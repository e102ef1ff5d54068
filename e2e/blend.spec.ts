import { isCurve, type Project, withVariant } from '@evlay/core';
import { scalarAt } from '@evlay/core/curve';
import { letThrough } from '@evlay/core/edit';
import { expect, type Page, test } from '@playwright/test';
import {
  drawLightly,
  expectAccessible,
  exported,
  farthest,
  goToFrame,
  lane,
  nextFrames,
  openDemo,
  openFold,
  pickJoint,
  pickPart,
  positionsAt,
  type,
  undo,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

const layerOf = (project: Project, name: string) => project.layers.find((layer) => layer.name === name)!;

/** The name of a layer in its lane. */
const nameOf = (page: Page, name: string) =>
  lane(page, name).getByRole('button', { name: new RegExp(`${name}\\s*(additive|override|base)$`) });

const weight = (page: Page, of: string) =>
  page.getByRole('spinbutton', { name: `Weight of ${of}`, exact: true });

/** The names in the lanes, from the top. */
const order = (page: Page) =>
  page
    .locator('[data-lanes] > *')
    .evaluateAll((rows) =>
      rows.map((row) => row.querySelector('button[title]:not([aria-expanded])')?.getAttribute('title') ?? ''),
    );

test('layers are picked, weighed together, grouped, moved, found and played alone; all is undone', async ({
  page,
}) => {
  await openDemo(page);
  const before = await exported(page);
  await nameOf(page, 'Weary lean').click();
  await nameOf(page, 'Glance at the gulls').click({ modifiers: ['Control'] });
  await goToFrame(page, 60);
  // Typed on one, it changes the other by as much.
  await type(weight(page, 'Weary lean'), '0.6');
  await expect(weight(page, 'Glance at the gulls')).toHaveText('0.80');
  await page.getByRole('button', { name: 'Lock Weary lean' }).click();
  await expect(page.getByRole('button', { name: 'Lock Glance at the gulls' })).toHaveAttribute(
    'aria-pressed',
    'true',
  );
  await page.getByRole('button', { name: 'Lock Weary lean' }).click();

  await page.keyboard.press('Control+g');
  await expect(page.getByRole('button', { name: 'Rename the group Group 1' })).toBeVisible();
  await type(weight(page, 'Group 1'), '0.5');
  await page.getByRole('button', { name: 'Mute Group 1' }).click();
  const grouped = await exported(page);
  expect(grouped.groups).toMatchObject([{ name: 'Group 1', muted: true, weight: 0.5 }]);
  expect(grouped.layers.map(({ group }) => group !== undefined)).toEqual([false, false, true, true]);
  // Soloing a layer of a muted group brings nothing back; alone does, and leaves both as they were.
  await page.getByRole('button', { name: 'Solo Lantern arm' }).click();
  await page.getByRole('button', { name: 'Play Weary lean alone' }).click();
  await expect(page.getByText('“Weary lean” alone over the base')).toBeVisible();
  await page.getByRole('button', { name: 'Play Weary lean alone' }).click();
  expect((await exported(page)).groups).toEqual(grouped.groups);
  await page.getByRole('button', { name: 'Solo Lantern arm' }).click();
  await page.getByRole('button', { name: 'Mute Group 1' }).click();

  // Dragged above the group; Escape in the middle of a drag takes it back.
  const mark = async (name: string) => (await nameOf(page, name).boundingBox())!;
  const from = await mark('Lantern arm');
  const head = (await page.locator('[data-lanes] [data-group]').boundingBox())!;
  await page.mouse.move(from.x + 8, from.y + 10);
  await page.mouse.down();
  await page.mouse.move(from.x + 8, head.y + 4, { steps: 4 });
  await expect
    .poll(() => order(page))
    .toEqual([
      'Lantern arm',
      'Pick the layers of Group 1; drag to move the group',
      'Glance at the gulls',
      'Weary lean',
      'Walk',
    ]);
  await page.keyboard.press('Escape');
  await page.mouse.up();
  await expect.poll(async () => (await order(page))[0]).toMatch(/Group 1/);
  await page.getByRole('button', { name: 'Close the group Group 1' }).click();
  await expect(nameOf(page, 'Weary lean')).toHaveCount(0);

  await page.getByRole('button', { name: 'Find layers' }).click();
  await page.getByRole('textbox', { name: 'Name, group or part' }).fill('right hand');
  await expect(page.getByRole('search').getByText('1 of 4')).toBeVisible();
  await expectAccessible(page);
  await page.getByRole('button', { name: 'Show all layers' }).click();

  while (await undo(page).isEnabled()) await undo(page).click();
  const after = await exported(page);
  expect(after.groups).toEqual([]);
  // Keys and takes get new ids when a file is read.
  const said = ({ layers }: Project) =>
    JSON.stringify(layers, (name, value) => (name === 'id' || name === 'take' ? undefined : value));
  expect(said(after)).toBe(said(before));
});

test('parts are painted, keyed and softened; a layer hands over; variants and a divided view compare', async ({
  page,
}) => {
  await openDemo(page);
  const before = await exported(page);
  await nameOf(page, 'Lantern arm').click();
  await goToFrame(page, 60);

  // One stroke over both arms of the map.
  await page.getByRole('button', { name: /^Weigh parts by a stroke/ }).click();
  const part = async (name: string) => {
    const box = (await page.getByRole('slider', { name: new RegExp(`^${name},`) }).boundingBox())!;
    return { x: box.x + box.width / 2, y: box.y + box.height / 2 };
  };
  const [right, left] = [await part('right arm'), await part('left arm')];
  await page.mouse.move(right.x, right.y);
  await page.mouse.down();
  await page.mouse.move(left.x, left.y, { steps: 12 });
  await page.mouse.up();
  await expect(page.getByRole('slider', { name: /^left arm,/ })).toHaveAttribute('aria-valuenow', '1.00');
  await page.getByRole('button', { name: /^Weigh parts by a stroke/ }).click();

  // Back to the arm by a preset, keyed at the playhead; the map marks the key.
  await page.getByRole('button', { name: 'Where the layer counts' }).click();
  await page.getByRole('menuitem', { name: 'Right side alone' }).click();
  // A menu that closes lets go of the focus at the next frame, which would take it from the part.
  await expect(page.getByRole('menu')).toHaveCount(0);
  await nextFrames(page);
  await expect(page.getByRole('slider', { name: /^left arm,/ })).toHaveAttribute('aria-valuenow', '0.00');
  await pickPart(page, 'right arm');
  await expect(page.getByRole('spinbutton', { name: 'Weight of Lantern arm on the right arm' })).toHaveText(
    '1.00',
  );
  await page.getByRole('button', { name: 'Key the weight of the right arm', exact: true }).click();
  await expect(page.locator('[data-keyed="rightArm"]')).toHaveAttribute('visibility', 'visible');
  await expect(page.locator('[data-keyed="rightHand"]')).toHaveAttribute('visibility', 'hidden');

  await page.getByRole('slider', { name: /^right hand,/ }).click({ button: 'right' });
  await page.getByRole('menuitem', { name: 'Fade in from the playhead on' }).click();
  await expect(page.locator('[data-keyed="rightHand"]')).toHaveAttribute('visibility', 'visible');
  await page.keyboard.press('Control+z');

  await openFold(page, 'Blending');
  const border = page.getByRole('spinbutton', { name: 'Over how much the borders between parts are soft' });
  await type(border, '6');
  await expect(page.locator('[data-soft] path').first()).toBeAttached();
  const soft = layerOf(await exported(page), 'Lantern arm');
  expect(Object.keys(soft.joints ?? {}).length).toBeGreaterThan(2);

  // It hands over from what is below, so that nothing of that is let through in the middle.
  await type(page.getByRole('spinbutton', { name: 'Hand over from frame' }), '50');
  await type(page.getByRole('spinbutton', { name: 'Hand over to frame' }), '70');
  await page.getByRole('button', { name: 'to Lantern arm' }).click();
  const handed = await exported(page);
  const { weight: upper, id } = layerOf(handed, 'Lantern arm');
  expect(isCurve(upper)).toBe(true);
  for (const [frame, value] of [
    [40, 0],
    [50, 0],
    [60, 0.5],
    [70, 1],
    [80, 1],
  ])
    expect(scalarAt(upper, frame)).toBeCloseTo(value, 9);
  expect(letThrough(handed, id)).toBeUndefined();

  // Three variants: what is muted in one is not in the others.
  for (let k = 0; k < 3; k++) await page.getByRole('button', { name: 'Keep as variant' }).click();
  const variants = page.getByRole('group', { name: 'Variants' });
  await expect(variants.getByRole('button', { name: 'Variant 3', exact: true })).toHaveAttribute(
    'aria-pressed',
    'true',
  );
  await page.getByRole('button', { name: 'Mute Weary lean' }).click();
  await variants.getByRole('button', { name: 'Variant 2', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Mute Weary lean' })).toHaveAttribute(
    'aria-pressed',
    'false',
  );
  await type(weight(page, 'Weary lean'), '0.3');
  const varied = await exported(page);
  expect(layerOf(varied, 'Weary lean')).toMatchObject({ muted: false, weight: 0.8 });
  expect(layerOf(withVariant(varied, 'Variant 2'), 'Weary lean')).toMatchObject({ weight: 0.3 });
  expect(layerOf(withVariant(varied, 'Variant 3'), 'Weary lean')).toMatchObject({ muted: true });

  // Before is a variant, now another: the view is divided, and the line moves by key.
  await page.getByRole('button', { name: 'Compare before and after' }).click();
  const compare = page.getByRole('region', { name: 'Compare' });
  await compare.getByRole('button', { name: 'A variant as what was before' }).click();
  await page.getByRole('menuitem', { name: 'Variant 3' }).click();
  await compare.getByRole('button', { name: 'divide' }).click();
  await compare.getByRole('button', { name: 'second view' }).click();
  await compare.getByRole('button', { name: 'below' }).click();
  const line = page.getByRole('slider', { name: 'Where the view is divided' });
  await line.press('ArrowRight');
  await expect(line).toHaveAttribute('aria-valuenow', '52');
  await expect(page.getByRole('group', { name: 'Second view' })).toBeVisible();
  await expectAccessible(page);
  await compare.getByRole('button', { name: 'none of it' }).click();
  await expect(line).toHaveCount(0);
  await variants.getByRole('button', { name: 'as the layers are' }).click();

  // A part of the character is split off and named; what is seen stays.
  await pickJoint(page, 'Chest');
  await page.getByRole('button', { name: 'Split the part at the picked joint' }).click();
  await page.getByRole('textbox', { name: 'Name of the part' }).fill('rib cage');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('slider', { name: /^rib cage,/ })).toBeVisible();
  const split = await exported(page);
  for (const frame of [0, 45, 88])
    expect(farthest(positionsAt(split, frame), positionsAt(varied, frame))).toBeLessThan(1e-12);

  while (await undo(page).isEnabled()) await undo(page).click();
  const after = await exported(page);
  expect(after.variants).toEqual([]);
  expect(after.parts).toEqual(before.parts);
  for (const frame of [0, 45, 88])
    expect(farthest(positionsAt(after, frame), positionsAt(before, frame))).toBe(0);
});

test('a walk and a trot are crossed where feet stay, and play', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('button', { name: 'Open Brindle’s quay run' }).click();
  await expect(page.getByRole('slider', { name: /^head/ })).toBeVisible();
  await nameOf(page, 'Trot').click();
  await goToFrame(page, 60);
  await openFold(page, 'Blending');
  await page.getByRole('button', { name: 'Find crossings of two performances' }).click();
  const list = page.getByRole('list', { name: 'Best crossings' }).getByRole('button');
  await expect(list.first()).toContainText('feet stay');
  await expectAccessible(page);
  await page.getByRole('button', { name: 'near here' }).click();
  await expect(list.first()).toContainText('feet stay');
  // What is pointed at is seen, and nothing is changed by that.
  const frame = page.getByLabel('Frame', { exact: true });
  await list.first().hover();
  const first = await list
    .first()
    .getByText(/^frame/)
    .textContent();
  const there = first!.replace('frame ', '').padStart(4, '0');
  await expect(frame).toHaveText(there);
  await page.getByRole('heading', { name: 'Crossings' }).hover();
  await expect(frame).toHaveText('0060');
  await expect(undo(page)).toBeDisabled();
  await list.first().click();
  await page.getByRole('button', { name: 'Leave the crossings' }).click();
  const crossed = layerOf(await exported(page), 'Trot');
  const starts = Object.values(crossed.mask!).map((curve) => (isCurve(curve) ? curve.keys[0].frame : -1));
  expect(new Set(starts).size).toBeGreaterThan(2);
  for (const start of starts) expect(Math.abs(start - 60)).toBeLessThan(50);
  await page.keyboard.press('Space');
  await expect(page.getByLabel('Frame', { exact: true })).not.toHaveText('0060');
  await page.keyboard.press('Space');
  await undo(page).click();
  await expect(undo(page)).toBeDisabled();
});
