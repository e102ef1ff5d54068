import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, type Page, test } from '@playwright/test';
import { drawLightly, dropFile, expectDrawn, expectSaved, nextFrames } from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

/** Counts the buffers and textures of all WebGL contexts that are not lost, outside of the application and its library. */
const countResources = (page: Page): Promise<void> =>
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

test('projects that are opened one after the other leave nothing on the graphics card', async ({ page }) => {
  await countResources(page);
  const files = ['lantern-hook.evlay', 'quay-run.evlay'].map((name) => ({
    name,
    bytes: readFileSync(join(import.meta.dirname, '../apps/web/dist/demo', name)),
  }));
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  const seen: { buffers: number; textures: number }[] = [];
  for (let round = 0; round < 4; round++) {
    for (const { name, bytes } of files) {
      const before = page.url();
      await dropFile(page, name, bytes);
      await expect.poll(() => page.url()).not.toBe(before);
      await expectDrawn(page, false);
      await expectSaved(page);
      await nextFrames(page);
    }
    seen.push(await graphics(page));
  }
  expect(seen[0].buffers).toBeGreaterThan(10);
  expect(seen[3]).toEqual(seen[1]);
});
