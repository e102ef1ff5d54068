import { joinGlb } from '@evlay/core/format';
import { angleBetween } from '@evlay/core/math';
import { expect, test } from '@playwright/test';
import {
  dragHandles,
  drawLightly,
  dropFile,
  expectDrawn,
  expectKeys,
  exported,
  goToFrame,
  lane,
  openDemo,
  pickPart,
  rotationAt,
} from './app.js';

test.beforeEach(async ({ page }) => drawLightly(page));

const partOf = (page: Parameters<typeof openDemo>[0], part: string) => page.locator(`[data-part="${part}"]`);

test('keys belong to the screen: after clicks on the map, on links and on handles, and what was picked stays', async ({
  page,
}) => {
  await openDemo(page);
  const frame = page.getByLabel('Frame', { exact: true });
  // A click lights the part; then Space plays.
  await partOf(page, 'leftArm').click();
  await expect(page.locator('[data-lit="leftArm"]')).toBeAttached();
  await page.keyboard.press('Space');
  await expect(page.getByRole('button', { name: 'Pause' })).toBeVisible();
  await page.keyboard.press('Space');
  await expect(page.getByRole('button', { name: 'Play', exact: true })).toBeVisible();
  await page.keyboard.press('Home');
  await expect(frame).toHaveText('0000');
  // Shift+Enter keys the weight of the part that is picked.
  await partOf(page, 'rightArm').click();
  await page.keyboard.press('Shift+Enter');
  await expect(page.getByRole('button', { name: 'Undo' })).toBeEnabled();
  await page.keyboard.press('Control+z');
  // So after a click on a link of the header.
  await page.getByRole('link', { name: 'Takes' }).click();
  await page.getByRole('link', { name: 'Layers' }).click();
  await expectDrawn(page);
  await page.keyboard.press('Space');
  await expect(page.getByRole('button', { name: 'Pause' })).toBeVisible();
  await page.keyboard.press('Space');
  // What cannot be done says why.
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+v');
  await expect(page.getByText(/No keys were copied/)).toBeVisible();
  await page.keyboard.press('Control+c');
  await expect(page.getByText(/No key is picked/)).toBeVisible();
});

test('a small drag of a handle keys and leaves the pick as it is; the first key asks how long it holds', async ({
  page,
}) => {
  await openDemo(page);
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await goToFrame(page, 60);
  await pickPart(page, 'head');
  await dragHandles(page, 'Head', 24, 4);
  const ask = page.getByRole('status').filter({ hasText: 'changes every frame' });
  await expect(ask).toBeVisible();
  await ask.getByRole('button', { name: 'Around here' }).click();
  await expect(ask).toBeHidden();
  await expectKeys(page, 'Additive 1', 52, 60, 68);
  await dragHandles(page, 'Head', 4, 0);
  await expect(page.locator('[data-joint="Head"]')).toBeAttached();
  await pickPart(page, 'torso');
  await expect(page.getByRole('button', { name: 'Move joints' })).toHaveAttribute(
    'title',
    /Moving \w+ stretches bones/,
  );
});

test('a layer is played alone, coloured, weighed by typing; what can be done is said and is in a menu', async ({
  page,
}) => {
  await openDemo(page);
  await goToFrame(page, 62);
  await page.getByRole('button', { name: 'Play Lantern arm alone' }).click();
  const bar = page.getByRole('status').filter({ hasText: '“Lantern arm” alone over the base' });
  await expect(bar).toBeVisible();
  await bar.getByRole('button', { name: 'All layers' }).click();
  await expect(bar).toBeHidden();

  await lane(page, 'Lantern arm')
    .getByRole('button', { name: /Lantern arm/ })
    .nth(1)
    .click();
  const panel = page.getByRole('region', { name: 'Lit layer' });
  await panel.getByRole('button', { name: 'Colour #0072B2' }).click();
  await expect(panel.getByRole('button', { name: 'Colour #0072B2' })).toHaveAttribute('aria-pressed', 'true');
  // A number takes typing at a click: relative, and in per cent.
  const weight = panel.getByRole('spinbutton', { name: 'Weight of the lit layer' });
  const type = async (text: string) => {
    await weight.click();
    await page.keyboard.type(text);
    await page.keyboard.press('Enter');
  };
  await type('50 %');
  await expect(weight).toHaveText('0.50');
  await type('+0.25');
  await expect(weight).toHaveText('0.75');
  await type('much');
  await expect(page.getByText(/“much” is no number/)).toBeVisible();
  await expect(weight).toHaveText('0.75');

  const hint = page.getByLabel('What can be done here');
  await partOf(page, 'leftArm').hover();
  await expect(hint).toContainText('drag up or down to weigh');
  await page.getByRole('img', { name: 'The character at the playhead' }).hover();
  await expect(hint).toContainText('turn the camera');
  await partOf(page, 'leftArm').click({ button: 'right' });
  await page.getByRole('menuitem', { name: 'Let the layer count in full here' }).click();
  await expect(partOf(page, 'leftArm')).toHaveAttribute('aria-valuenow', '1.00');
  // In the lane the keys beside the pointer move, and the playhead has no say in it.
  const track = lane(page, 'Lantern arm').locator('svg').last();
  const box = (await track.boundingBox())!;
  const points = lane(page, 'Lantern arm').locator('circle title');
  const before = await points.allTextContents();
  await page.mouse.move(box.x + box.width * 0.8, box.y + box.height - 6);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.8, box.y + box.height - 26, { steps: 4 });
  await page.mouse.up();
  await expect.poll(() => points.allTextContents()).not.toEqual(before);
  expect(await points.count()).toBe(before.length);
});

test('a loop says how large its gap is, and closes over the range', async ({ page }) => {
  await openDemo(page);
  await lane(page, 'Weary lean')
    .getByRole('button', { name: /Weary lean/ })
    .first()
    .click();
  const panel = page.getByRole('region', { name: 'Lit layer' });
  await panel.getByRole('button', { name: 'loop' }).click();
  const gap = panel.getByRole('status', { name: 'Gap of the loop' });
  await expect(gap).toHaveText(/closes|^\d+\.\d° in /);
  await panel.getByRole('spinbutton', { name: 'Cycle to own frame' }).click();
  await page.keyboard.type('60');
  await page.keyboard.press('Enter');
  await expect(gap).toHaveText(/closes|^\d+\.\d° in /);
  await panel.getByRole('button', { name: 'range', exact: true }).click();
  await expect(gap).toHaveText('closes');
});

test('another base says what it changes, with a way back; Takes fits a small window and counts samples throughout', async ({
  page,
}) => {
  await openDemo(page);
  await page.getByRole('link', { name: 'Takes' }).click();
  const takes = page.getByRole('list', { name: 'Takes' });
  await takes.getByRole('button', { name: 'Choose idle' }).click();
  const chosen = page.getByRole('region', { name: 'Chosen take' });
  const first = chosen.getByRole('spinbutton', { name: 'First sample that is kept' });
  await first.click();
  await page.keyboard.type('20');
  await page.keyboard.press('Enter');
  // A take that is made of another has a name of its own; axis, fields and number count samples of the source.
  await expect(chosen.getByLabel('Name of the take')).toHaveValue('idle, trimmed');
  await expect(page.getByLabel('Sample', { exact: true })).toHaveText('0020');
  await chosen.getByRole('button', { name: 'Set as base' }).click();
  const said = page
    .getByRole('region', { name: 'Notices' })
    .getByRole('status')
    .filter({ hasText: /The range is 0 to \d+ now, it was 0 to 120\./ });
  await expect(said.first()).toContainText('reach');
  await said.getByRole('button', { name: 'Undo' }).first().click();
  await expect(chosen.getByRole('button', { name: 'Set as base' })).toBeEnabled();
  // Where it is undone elsewhere, nothing is left to undo, and the notice goes.
  await chosen.getByRole('button', { name: 'Set as base' }).click();
  await expect(said.first()).toBeVisible();
  await page.getByTitle(/^Undo \(/).click();
  await expect(chosen.getByRole('button', { name: 'Set as base' })).toBeEnabled();
  await expect(said).toHaveCount(0);
  await page.setViewportSize({ width: 853, height: 533 });
  const wide = () => page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
  await expect.poll(wide).toBeLessThanOrEqual(0);
  for (const region of ['Time of the take', 'Chosen take']) {
    const box = (await page.getByRole('region', { name: region }).boundingBox())!;
    expect(box.x + box.width).toBeLessThanOrEqual(853);
  }
});

test('a bake says what it makes, and what it cannot make before it begins', async ({ page }) => {
  await openDemo(page);
  await page.getByRole('link', { name: 'Bake' }).click();
  const bake = page.getByRole('button', { name: /^Bake to/ });
  await expect(page.getByText(/121 samples, 4\.00 seconds, about \d/)).toBeVisible();
  const type = async (name: string, text: string) => {
    await page.getByRole('spinbutton', { name }).click();
    await page.keyboard.type(text);
    await page.keyboard.press('Enter');
  };
  await type('First frame to bake', '500');
  await expect(page.getByText(/the last frame, 120, lies before the first, 500/)).toBeVisible();
  await expect(bake).toBeDisabled();
  await type('Last frame to bake', '500');
  await expect(page.getByText(/^1 sample, 0\.00 seconds/)).toBeVisible();
  await type('Last frame to bake', '9000000');
  await expect(page.getByText(/take some [\d,]+ MB/)).toBeVisible();
  await expect(bake).toBeDisabled();
});

test('each leg of a dog goes over at its own frame in under forty actions', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('main').getByRole('button', { name: 'Open Brindle’s quay run' }).click();
  await expectDrawn(page);
  let actions = 0;
  const act = async (work: Promise<unknown>) => {
    actions++;
    await work;
  };
  await act(page.getByRole('button', { name: /Trot\s*override$/ }).click());
  const goTo = async (frame: number) => {
    // One press on the ruler.
    const ruler = page.locator('section[aria-label="Lanes"] svg').first();
    const box = (await ruler.boundingBox())!;
    await page.mouse.click(box.x + ((frame + 4.5) / 159) * box.width, box.y + 6);
  };
  const weight = page.getByRole('region', { name: 'Body map' }).getByRole('spinbutton');
  for (const [k, [leg, foot]] of (
    [
      ['leftHindLeg', 'leftHindFoot'],
      ['rightForeLeg', 'rightForeFoot'],
      ['rightHindLeg', 'rightHindFoot'],
      ['leftForeLeg', 'leftForeFoot'],
    ] as const
  ).entries()) {
    await act(partOf(page, leg).press('Enter'));
    await act(partOf(page, foot).press('Shift+Enter'));
    for (const [frame, value] of [
      [30 + 10 * k, '0'],
      [36 + 10 * k, '1'],
    ] as const) {
      await act(goTo(frame));
      await act(weight.click());
      await page.keyboard.type(value);
      await act(page.keyboard.press('Enter'));
    }
    await expect(weight).toHaveText('1.00');
  }
  expect(actions).toBeLessThan(40);
});

test('both hands make a fist in under ten actions, and no wrist turns', async ({ page }) => {
  await openDemo(page);
  await goToFrame(page, 40);
  const before = await exported(page);
  let actions = 0;
  const act = async (work: Promise<unknown>) => {
    actions++;
    await work;
  };
  await act(page.getByRole('button', { name: 'Add override layer' }).click());
  await act(partOf(page, 'leftHand').click());
  await act(partOf(page, 'rightHand').click({ modifiers: ['Shift'] }));
  await act(page.getByRole('tab', { name: 'Joint' }).click());
  const curl = page.getByRole('spinbutton', { name: 'Curl of the fingers of both hands' });
  await act(curl.click());
  await act(page.keyboard.type('80'));
  await act(page.keyboard.press('Enter'));
  expect(actions).toBeLessThan(10);
  await expect(curl).toHaveText('80');
  const after = await exported(page);
  const turned = (joint: string) =>
    angleBetween(rotationAt(before, joint, 40), 0, rotationAt(after, joint, 40), 0) * (180 / Math.PI);
  for (const side of ['Left', 'Right']) {
    // The right one holds the lantern, half shut.
    for (const finger of ['Index', 'Middle', 'Ring', 'Little'])
      expect(turned(`${side}${finger}2`)).toBeGreaterThan(side === 'Left' ? 40 : 25);
    for (const joint of ['Hand', 'Forearm', 'UpperArm']) expect(turned(side + joint)).toBeLessThan(1e-3);
  }
  // A pose of the book goes to both hands that are picked, too.
  await page.getByRole('tab', { name: 'Poses' }).click();
  await page.getByRole('button', { name: 'Apply Open hand', exact: true }).click();
  const open = await exported(page);
  for (const joint of ['LeftIndex2', 'RightIndex2'])
    expect(angleBetween(rotationAt(after, joint, 40), 0, rotationAt(open, joint, 40), 0)).toBeGreaterThan(
      0.5,
    );
});

test('a character whose lists are no lists says where, and the application stays', async ({ page }) => {
  await openDemo(page);
  const bad = (more: object) =>
    joinGlb({
      json: JSON.stringify({ asset: { version: '2.0' }, nodes: [{ mesh: 0 }], ...more }),
      bin: new Uint8Array(0),
      others: [],
    });
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  await dropFile(page, 'meshes.glb', bad({ meshes: 'none' }));
  await expect(page.getByText(/meshes\.glb: meshes: expected array/)).toBeVisible();
  // What only the picture needs is told there, and the skeleton is there.
  await dropFile(
    page,
    'materials.glb',
    bad({ meshes: [{ primitives: [{ attributes: {}, material: 0 }] }], materials: 'x' }),
  );
  await expect(page).toHaveURL(/\/p\//);
  await expectDrawn(page, false);
  await expect(page.getByRole('region', { name: 'Lit layer' })).toBeVisible();
});
