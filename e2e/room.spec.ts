import { expect, test } from '@playwright/test';
import { drawLightly, expectAccessible, expectDrawn, openDemo } from './app.js';

test('lanes stay under the pointer, modes are said and left, the map folds, and keys are changed', async ({
  page,
}) => {
  await drawLightly(page);
  await openDemo(page);
  const lanes = page.getByRole('list', { name: 'Layers, the topmost first' });
  const nameOf = (name: string) => lanes.getByText(name, { exact: true }).first();

  await test.step('a name is double clicked on a lane that is not lit, which closes the one above it', async () => {
    const before = (await nameOf('Weary lean').boundingBox())!;
    await nameOf('Weary lean').dblclick();
    const field = page.getByRole('textbox', { name: 'Name of the layer Weary lean' });
    await expect(field).toBeFocused();
    await field.fill('Tired lean');
    await field.press('Enter');
    const after = (await nameOf('Tired lean').boundingBox())!;
    expect(Math.abs(after.y - before.y)).toBeLessThan(2);
    await page.mouse.move(500, 200);
    await expect.poll(async () => (await nameOf('Tired lean').boundingBox())!.y).toBeLessThan(before.y - 20);
    // In a small window the lane that becomes tall does not fit below the pointer.
    await page.setViewportSize({ width: 1024, height: 700 });
    await nameOf('Glance at the gulls').click();
    await page.mouse.move(500, 200);
    await nameOf('Tired lean').dblclick();
    await expect(page.getByRole('textbox', { name: 'Name of the layer Tired lean' })).toBeFocused();
    await page.keyboard.press('Escape');
    await page.setViewportSize({ width: 1280, height: 800 });
  });

  await test.step('modes are words in the view; Escape leaves a touch-up before it lets go', async () => {
    const modes = page.getByRole('group', { name: 'Modes' });
    await expect(modes).toBeHidden();
    await page.getByRole('button', { name: 'auto key on' }).click();
    await page.keyboard.press('t');
    await expect(modes.getByRole('button')).toHaveText(['touch-up', 'auto key off']);
    await expectAccessible(page);
    await page.keyboard.press('Escape');
    await expect(modes.getByRole('button')).toHaveText(['auto key off']);
    await modes.getByRole('button').click();
    await expect(modes).toBeHidden();
  });

  await test.step('the map folds to cells and opens again', async () => {
    await page.getByRole('button', { name: 'Fold the body map to a strip' }).click();
    const panel = (await page.getByRole('tabpanel').boundingBox())!;
    await page.getByRole('button', { name: 'Keep the body map open' }).click();
    await expect
      .poll(async () => (await page.getByRole('tabpanel').boundingBox())!.height)
      .toBeLessThan(panel.height - 80);
  });

  await test.step('keys are given to a command, refused where another has them, and set back', async () => {
    await page.getByRole('link', { name: 'How to: Weigh' }).click();
    const search = page.getByRole('searchbox', { name: 'Search Help' });
    await search.fill('no such word');
    await expect(page.getByText('Nothing here speaks of that.')).toBeVisible();
    await search.fill('weigh');
    await page.getByRole('button', { name: 'Watch: Weigh' }).click();
    const film = page.getByLabel('Weigh, done on the demo, without sound');
    await expect
      .poll(() =>
        film.evaluate((video: HTMLVideoElement) => [video.videoWidth, video.duration > 4, video.paused]),
      )
      .toEqual([720, true, false]);
    await search.fill('curves');
    const keys = page.getByRole('list', { name: 'Keys' });
    const curves = keys.getByRole('button', { name: /^Keys of “Show curves, or lanes”/ });
    await curves.click();
    await page.keyboard.press('t');
    await expect(keys.getByRole('alert')).toContainText(
      'T is of “Touch up: let poses fade away on both sides”',
    );
    await page.keyboard.press('Shift+U');
    await expect(curves).toHaveText('Shift+U');
    await expectAccessible(page);
    await page.goBack();
    await expect(page.getByRole('slider', { name: /^hips/ })).toBeVisible();
    await page.keyboard.press('c');
    await expect(page.getByRole('list', { name: 'Layers, the topmost first' })).toBeVisible();
    await page.keyboard.press('Shift+U');
    await expect(page.getByRole('list', { name: 'Layers, the topmost first' })).toBeHidden();
    await page.keyboard.press('?');
    await page.getByRole('button', { name: 'all as they were' }).click();
    await expect(curves).toHaveText('C');
  });
});

test('steps are gone to at once, names get room, and a finger has buttons for what keys and the right button do', async ({
  browser,
}) => {
  const page = await browser.newPage({ hasTouch: true });
  await drawLightly(page);
  await openDemo(page);
  const layers = page.getByRole('list', { name: 'Layers, the topmost first' }).getByRole('listitem');
  const steps = page.getByRole('menu').getByRole('menuitem');
  const count = await layers.count();

  await test.step('the list of steps opens by a press that is held, and by key; any step is gone to', async () => {
    await page.getByRole('button', { name: 'Add additive layer' }).click();
    await page.getByRole('button', { name: 'Add override layer' }).click();
    const undo = page.getByRole('button', { name: 'Undo' });
    const { x, y } = (await undo.boundingBox())!;
    await page.mouse.move(x + 8, y + 8);
    await page.mouse.down();
    await expect(steps).toHaveText(['Add override layer', 'Add additive layer']);
    await page.mouse.up();
    await expect(layers).toHaveCount(count + 2);
    await steps.nth(1).click();
    await expect(layers).toHaveCount(count);
    await page.getByRole('button', { name: 'Redo' }).focus();
    await page.keyboard.press('ArrowDown');
    await expect(steps).toHaveText(['Add additive layer', 'Add override layer']);
    await steps.nth(1).click();
    await expect(layers).toHaveCount(count + 2);
  });

  await test.step('the names are widened by key and by pointer, and stay so', async () => {
    const edge = page.getByRole('separator', { name: 'Width of the names' });
    const width = async () => Number(await edge.getAttribute('aria-valuenow'));
    const before = await width();
    await edge.press('ArrowRight');
    expect(await width()).toBe(before + 16);
    const box = (await edge.boundingBox())!;
    await page.mouse.move(box.x + 2, box.y + 60);
    await page.mouse.down();
    await page.mouse.move(box.x + 82, box.y + 60, { steps: 3 });
    await page.mouse.up();
    expect(await width()).toBe(before + 96);
    await page.getByRole('link', { name: 'evlay' }).click();
    await page.getByRole('main').getByRole('button', { name: 'Open the demo' }).first().click();
    await expectDrawn(page);
    expect(await width()).toBe(before + 96);
    await edge.dblclick();
    expect(await width()).toBe(before);
  });

  await test.step('with a finger: two layers picked by Shift, menus by a button and by a press that is held', async () => {
    const strip = page.getByRole('toolbar', { name: 'For pen and touch' });
    await expect(strip).toBeHidden();
    const nameOf = (name: string) => layers.locator('button[aria-pressed]', { hasText: name }).first();
    const [walk, lean] = [nameOf('Walk'), nameOf('Weary lean')];
    await walk.tap();
    await expect(strip).toBeVisible();
    await expectAccessible(page);
    await strip.getByRole('button', { name: 'Shift' }).tap();
    await lean.tap();
    await expect(walk).toHaveAttribute('aria-pressed', 'true');
    await expect(lean).toHaveAttribute('aria-pressed', 'true');
    await strip.getByRole('button', { name: 'Shift' }).tap();
    await strip.getByRole('button', { name: 'Menu' }).tap();
    const menu = page.getByRole('menu', { name: 'What can be done here' });
    await lean.tap();
    await expect(menu).toBeVisible();
    await strip.getByRole('button', { name: 'Escape' }).tap();
    await expect(menu).toBeHidden();
    const { x, y } = (await lean.boundingBox())!;
    const client = await page.context().newCDPSession(page);
    const touchPoints = [{ x: x + 40, y: y + 8 }];
    await client.send('Input.dispatchTouchEvent', { type: 'touchStart', touchPoints });
    await expect(menu).toBeVisible();
    await client.send('Input.dispatchTouchEvent', { type: 'touchEnd', touchPoints: [] });
    await expect(menu).toBeVisible();
    await page.keyboard.press('Escape');
    await page.mouse.click(600, 200);
    await expect(strip).toBeHidden();
  });
  await page.close();
});

test('Try it leads through short pieces of work, sees what is done, and can be left', async ({ page }) => {
  await drawLightly(page);
  await page.goto('/');
  await page.getByRole('button', { name: 'Try it' }).click();
  const bar = page.getByRole('region', { name: 'Try it' });
  await expect(bar).toContainText('1 of 4 · Pose the arm');
  const add = page.getByRole('button', { name: 'Add additive layer' });
  await expect(add).toHaveAttribute('data-try', '');
  await expectAccessible(page);
  await add.click();
  await expect(bar).toContainText('Click one of Wick’s hands.');
  await expect(add).not.toHaveAttribute('data-try');
  await page.getByRole('slider', { name: /^left arm/ }).click();
  await expect(bar).toContainText('Drag the handles');
  await bar.getByRole('button', { name: 'skip' }).click();
  await bar.getByRole('button', { name: 'next: Weigh it' }).click();
  await expect(bar).toContainText('2 of 4');
  await bar.getByRole('button', { name: 'leave it' }).click();
  await expect(bar).toBeHidden();
});
