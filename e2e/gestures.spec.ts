import { expect, type Locator, type Page, test } from '@playwright/test';
import {
  drawLightly,
  dropFile,
  expectDrawn,
  expectKeys,
  goToFrame,
  handlesOf,
  keyAt,
  lane,
  openDemo,
  pickPart,
} from './app.js';

test.use({ viewport: { width: 1100, height: 700 } });
test.beforeEach(({ page }) => drawLightly(page));

/** A short motion of two joints, which comes in while something is dragged. */
const ARRIVAL = Buffer.from(
  `HIERARCHY
ROOT Hips
{
  OFFSET 0 0 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT Chest
  {
    OFFSET 0 20 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    End Site
    {
      OFFSET 0 30 0
    }
  }
}
MOTION
Frames: 2
Frame Time: 0.0333333
${'0 90 0 0 0 0 0 0 0\n'.repeat(2)}`,
);

/** All that the screen says of the project: names, numbers, keys, shapes, and who drives the picked joint. */
const said = (page: Page): Promise<string> =>
  page.getByRole('main').evaluate((main) => {
    const nodes = main.querySelectorAll(
      'title, [role=spinbutton], [role=listitem] path, output, [data-contact], [data-row], [data-strip]',
    );
    // Of the rows of an open lane only those in sight are there: what they say of joints depends on the scrolling.
    const scrolled = (node: Element) =>
      node.closest('ul[aria-label^="Rows of"]') !== null && node.closest('[data-row]') === null;
    return [...nodes]
      .filter((node) => !scrolled(node))
      .map((node) => node.getAttribute('d') ?? `${node.getAttribute('aria-label')} ${node.textContent}`)
      .join('\n');
  });

/** Waits until the screen says what it said before, or something else. */
const expectSaid = (page: Page) => expect.poll(() => said(page), { intervals: [50] });

interface Grip {
  /** Where the pointer is pressed, and how far it goes. */
  readonly at: () => Promise<{ readonly x: number; readonly y: number }>;
  readonly by: readonly [number, number];
  /** Whether it changes the project; one that does not is no step of undo. */
  readonly looks?: boolean;
}

/** The middle of what stands still and is not covered. */
const middle = async (locator: Locator) => {
  await locator.hover({ trial: true });
  const box = (await locator.boundingBox())!;
  return { x: box.x + box.width / 2, y: box.y + box.height / 2 };
};

/** Presses and moves, without letting go. The last step comes alone, so that what came in meanwhile is there. */
async function press(page: Page, { at, by: [dx, dy] }: Grip): Promise<() => Promise<void>> {
  const { x, y } = await at();
  await page.mouse.move(x + 1, y + 1);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + dx / 2, y + dy / 2);
  return () => page.mouse.move(x + dx, y + dy);
}

const undo = (page: Page) => page.getByRole('button', { name: 'Undo' });

/**
 * A drag is taken back by Escape and is no step then; let go of, it is one step; and what arrives in the middle stays,
 * before the step of the drag.
 */
async function expectGesture(
  page: Page,
  name: string,
  grip: Grip,
  arrive?: () => Promise<() => Promise<void>>,
): Promise<void> {
  await test.step(name, async () => {
    const before = await said(page);
    const on = await press(page, grip);
    await on();
    await expectSaid(page).not.toBe(before);
    await page.keyboard.press('Escape');
    await expectSaid(page).toBe(before);
    await on();
    await page.mouse.up();
    expect(await said(page)).toBe(before);
    await expect(undo(page)).toBeDisabled();

    await (await press(page, grip))();
    await page.mouse.up();
    await expectSaid(page).not.toBe(before);
    if (grip.looks) {
      await expect(undo(page)).toBeDisabled();
      return;
    }
    await undo(page).click();
    await expect(undo(page)).toBeDisabled();
    await expectSaid(page).toBe(before);

    if (!arrive) return;
    const goOn = await press(page, grip);
    const takeBack = await arrive();
    await goOn();
    await page.mouse.up();
    await undo(page).click();
    await takeBack();
    await expectSaid(page).toBe(before);
  });
}

test('every drag on Layers: let go of, taken back, and with a take that arrives in the middle', async ({
  page,
}) => {
  await openDemo(page);
  const lanes = page.getByRole('list', { name: 'Layers, the topmost first' });
  const glance = lane(page, 'Glance at the gulls');
  const track = (await glance.locator('svg').last().boundingBox())!;
  const perFrame = track.width / (120 * 1.06);
  const atFrame = (frame: number, share: number) => ({
    x: track.x + (frame + 3.6) * perFrame,
    y: track.y + track.height * (1 - share),
  });
  const titled = (text: string) =>
    glance.locator('g, rect', { has: page.locator('title', { hasText: text }) });

  /** A take comes in as a layer of its own; taken back, the lane that was lit is lit again. */
  const arriveAs = (lit: string) => async () => {
    await page.getByLabel('Take to bring in').setInputFiles({
      name: 'arrival.bvh',
      mimeType: 'application/octet-stream',
      buffer: ARRIVAL,
    });
    await expect(lanes.getByRole('button', { name: /arrival/ }).first()).toBeVisible();
    return async () => {
      await expect(lanes.getByRole('button', { name: /arrival/ }).first()).toBeVisible();
      await undo(page).click();
      await expect(lanes.getByRole('button', { name: /arrival/ })).toHaveCount(0);
      await lanes.getByRole('button', { name: new RegExp(`${lit}\\s*(additive|override|base)$`) }).click();
    };
  };
  const arrive = arriveAs('Glance at the gulls');

  await expectGesture(page, 'the ruler', {
    at: async () => ({ x: atFrame(20, 0).x, y: track.y - 22 }),
    by: [120, 0],
    looks: true,
  });
  await page.keyboard.press('Home');
  await expectGesture(
    page,
    'the end of the range',
    { at: async () => ({ x: atFrame(120, 0).x, y: track.y - 5 }), by: [-60, 0] },
    arrive,
  );
  await expectGesture(page, 'the shape of a lane', { at: async () => atFrame(70, 0.5), by: [0, 30] }, arrive);
  await expectGesture(
    page,
    'a foot of the span',
    { at: () => middle(titled('span starts at 44')), by: [-60, 0] },
    arrive,
  );
  await expectGesture(
    page,
    'a slope of the fade',
    { at: () => middle(titled('fades in over')), by: [40, 0] },
    arrive,
  );
  await expectGesture(
    page,
    'a number',
    {
      at: () => middle(page.getByRole('spinbutton', { name: 'Weight of the lit layer' })),
      by: [-40, 0],
    },
    arrive,
  );
  // Picked, it is what the number below the map shows, wherever the pointer is.
  await pickPart(page, 'left leg');
  await expectGesture(
    page,
    'a part on the body map',
    { at: () => middle(page.getByRole('slider', { name: /^left leg,/ })), by: [-150, -60] },
    arrive,
  );
  await page.keyboard.press('Escape');
  // A press picks the key: here it is picked already.
  const key = await keyAt(page, 'Glance at the gulls', 50);
  await page.mouse.click(key.x, key.y);
  await expectGesture(
    page,
    'a key',
    { at: () => keyAt(page, 'Glance at the gulls', 50), by: [40, 0] },
    arrive,
  );

  await test.step('points of a weight, and its drawing', async () => {
    const arm = lane(page, 'Lantern arm');
    await lanes.getByRole('button', { name: /Lantern arm\s*override$/ }).click();
    const point = arm.locator('circle', { has: page.locator('title', { hasText: 'at 38' }) });
    const back = arriveAs('Lantern arm');
    await point.click();
    await expectGesture(page, 'a point', { at: () => middle(point), by: [30, 20] }, back);
    await page.getByRole('button', { name: 'Draw the weight of the lit layer' }).click();
    const box = (await arm.locator('svg').last().boundingBox())!;
    await expectGesture(
      page,
      'a drawing',
      { at: async () => ({ x: box.x + 300, y: box.y + 40 }), by: [200, -20] },
      back,
    );
    await page.getByRole('button', { name: 'Draw the weight of the lit layer' }).click();
    await page.getByRole('button', { name: 'Open the lane of Lantern arm' }).click();
    const row = arm.locator('[data-row="right arm"]');
    await row.scrollIntoViewIfNeeded();
    await expectGesture(page, 'the shape of a part', { at: () => middle(row), by: [0, 8] }, back);
    await page.getByRole('button', { name: 'Close the lane of Lantern arm' }).click();
  });

  await test.step('the handles of a joint, and those that place a performance', async () => {
    await lanes.getByRole('button', { name: /Glance at the gulls\s*additive$/ }).click();
    await goToFrame(page, 66);
    await pickPart(page, 'head');
    const handles = async () => handlesOf(page, 'Head');
    await expectGesture(page, 'a joint', { at: handles, by: [40, 0] }, async () => {
      const back = await arrive();
      return async () => {
        await back();
        await pickPart(page, 'head');
        await goToFrame(page, 66);
      };
    });
    // Space lets go of it, keyed as it is, and plays.
    const on = await press(page, { at: handles, by: [40, 0] });
    await page.keyboard.press('Space');
    await expect(page.getByRole('button', { name: 'Pause' })).toBeVisible();
    await on();
    await page.mouse.up();
    await page.keyboard.press('Space');
    await expectKeys(page, 'Glance at the gulls', 50, 62, 66, 70, 84);
    await undo(page).click();
    await expect(undo(page)).toBeDisabled();
    await page.keyboard.press('Escape');
    await page.keyboard.press('Home');
    await lanes.getByRole('button', { name: /Walk\s*base$/ }).click();
    await page.getByRole('button', { name: 'place', exact: true }).click();
    const up = page.getByRole('spinbutton', { name: 'Moved up' });
    const view = (await page.getByRole('img', { name: 'The character at the playhead' }).boundingBox())!;
    const x = view.x + view.width / 2;
    // Where exactly the arrow is seen depends on the pose: it is looked for upward from the floor.
    let found: number | undefined;
    for (
      let y = view.y + view.height * 0.95;
      found === undefined && y > view.y + view.height * 0.4;
      y -= 10
    ) {
      await page.mouse.move(x + 1, y + 1);
      await page.mouse.move(x, y);
      await page.mouse.down();
      await page.mouse.move(x, y - 30, { steps: 2 });
      await page.mouse.up();
      if ((await up.count()) > 0) found = y;
    }
    expect(found).toBeDefined();
    await undo(page).click();
    await expectGesture(
      page,
      'a performance',
      { at: async () => ({ x, y: found! }), by: [0, -30] },
      arriveAs('Walk'),
    );
  });
});

test('every drag on Takes: trim, steps of the making and contacts, with a take that arrives in the middle', async ({
  page,
}) => {
  await openDemo(page);
  await page.getByRole('link', { name: 'Takes' }).click();
  const takes = page.getByRole('list', { name: 'Takes' });
  const chosen = page.getByRole('region', { name: 'Chosen take' });
  const choose = async () => {
    await takes.getByRole('button', { name: 'Choose suit-walk, fitted, made of suit-walk' }).click();
    await expect(chosen).toContainText('121 samples');
    // The number is written with the first frame that is shown.
    await expect(page.getByRole('region', { name: 'Time of the take' })).toContainText(/\d{4}/);
    await expectDrawn(page, false);
  };
  await choose();
  const number = (name: string) => chosen.getByRole('spinbutton', { name });
  const count = await takes.getByRole('listitem').count();
  const arrive = async () => {
    await dropFile(page, 'arrival.bvh', ARRIVAL);
    await expect(takes.getByRole('listitem')).toHaveCount(count + 1);
    return async () => {
      await expect(takes.getByRole('listitem')).toHaveCount(count + 1);
      await undo(page).click();
      await expect(takes.getByRole('listitem')).toHaveCount(count);
      await choose();
    };
  };
  const time = page.getByRole('region', { name: 'Time of the take' });
  const end = time.locator('g', { has: page.locator('title', { hasText: 'take ends at' }) });
  await expectGesture(page, 'the trim', { at: () => middle(end), by: [-80, 0] }, arrive);
  await expectGesture(
    page,
    'a step of the making',
    { at: () => middle(number('Samples a second')), by: [-30, 0] },
    arrive,
  );
  await expectGesture(
    page,
    'a contact',
    { at: () => middle(page.locator('[data-contact]').first()), by: [30, 0] },
    arrive,
  );

  // The samples are those that were asked for last, whatever was made on the way.
  const last = number('Last sample that is kept');
  const before = Number(await last.textContent());
  await (await press(page, { at: () => middle(end), by: [-80, 0] }))();
  await page.mouse.up();
  await expect.poll(async () => Number(await last.textContent())).toBeLessThan(before - 10);
  await expect(chosen).toContainText(`${Number(await last.textContent()) + 1} samples`);
});
