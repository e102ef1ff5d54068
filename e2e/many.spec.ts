import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, type Page, test } from '@playwright/test';
import { drawLightly, dropFile, expectDrawn, expectSaved, nextFrames, tab, undo } from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

/** Counts the buffers and textures of all WebGL contexts that are not lost, outside of the application and its library. */
const countResources = (page: Page) =>
  page.addInitScript(() => {
    const counts = new Map<WebGL2RenderingContext, { buffers: number; textures: number }>();
    Object.assign(window, {
      graphics: () => {
        const sum = { buffers: 0, textures: 0 };
        for (const [context, { buffers, textures }] of counts) {
          if (context.isContextLost()) continue;
          sum.buffers += buffers;
          sum.textures += textures;
        }
        return sum;
      },
    });
    const of = (context: WebGL2RenderingContext) => {
      const known = counts.get(context) ?? { buffers: 0, textures: 0 };
      counts.set(context, known);
      return known;
    };
    const own = WebGL2RenderingContext.prototype;
    const { createBuffer, deleteBuffer, createTexture, deleteTexture } = own;
    own.createBuffer = function () {
      of(this).buffers++;
      return createBuffer.call(this);
    };
    own.deleteBuffer = function (buffer) {
      of(this).buffers--;
      deleteBuffer.call(this, buffer);
    };
    own.createTexture = function () {
      of(this).textures++;
      return createTexture.call(this);
    };
    own.deleteTexture = function (texture) {
      of(this).textures--;
      deleteTexture.call(this, texture);
    };
  });

const graphics = (page: Page): Promise<{ buffers: number; textures: number }> =>
  page.evaluate(() =>
    (window as unknown as { graphics: () => { buffers: number; textures: number } }).graphics(),
  );

/** The counts once nothing more comes: a view is drawn little by little. */
async function settled(page: Page): Promise<{ buffers: number; textures: number }> {
  let now = await graphics(page);
  let same = 0;
  await expect
    .poll(async () => {
      const before = now;
      await nextFrames(page);
      now = await graphics(page);
      same = now.buffers === before.buffers && now.textures === before.textures ? same + 1 : 0;
      return same;
    })
    .toBeGreaterThan(4);
  return now;
}

test('what is shown and taken away again, and projects one after the other, leave nothing on the graphics card', async ({
  page,
}) => {
  await countResources(page);
  // The harbour is shared by all pictures of it.
  await page.addInitScript(() =>
    localStorage.setItem(
      'evlay.preferences',
      JSON.stringify({ state: { lightWhenSlow: false, session: { mapFold: 'open' } }, version: 0 }),
    ),
  );
  const open = async (name: string) => {
    const before = page.url();
    await dropFile(page, name, readFileSync(join(import.meta.dirname, '../apps/web/dist/demo', name)));
    await expect.poll(() => page.url()).not.toBe(before);
    await expectDrawn(page, false);
    await expectSaved(page);
  };
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  await open('lantern-hook.evlay');
  await open('quay-run.evlay');
  await expect.poll(async () => (await graphics(page)).buffers).toBeGreaterThan(10);
  const whole = await settled(page);
  // With the first one the handles come, which stay.
  await tab(page, 'Joint');
  const shown: { buffers: number; textures: number }[] = [];
  for (let round = 0; round < 4; round++) {
    await page.getByRole('button', { name: '+ cylinder' }).click();
    await expect(page.getByRole('region', { name: 'Prop Cylinder' })).toBeVisible();
    await nextFrames(page);
    await undo(page).click();
    await expect(page.getByRole('region', { name: 'Prop Cylinder' })).toHaveCount(0);
    if (round === 0) shown.push(await settled(page));
    else await expect.poll(() => graphics(page)).toEqual(shown[0]);
  }
  for (let round = 0; round < 3; round++) {
    await open('lantern-hook.evlay');
    await open('quay-run.evlay');
    await expect.poll(() => graphics(page)).toEqual(whole);
  }
});
