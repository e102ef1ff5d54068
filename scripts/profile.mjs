import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { build } from './build.mjs';
import { CHROMIUM, CHROMIUM_PACKAGE } from './chromium.mjs';
import { megabytes, memoryOfCommand, mostMemory } from './profile/memory.mjs';
import { heavyProject, longProject, projectOfTakes, sceneOfTwo } from './profile/projects.mjs';
import { FIGURE, watchFigure, watchSaving } from './profile/watch.mjs';
import { installDebian, installPackages, ROOT, startServer } from './run.mjs';

/**
 * Measures the page, mostly by Chromium's own counters: what a move of the pointer costs the page's thread on a heavy stack, in
 * time of the processor, so that what else runs on the machine counts for little; and how long the first picture takes,
 * what is saved, and how much memory is held. `npm run profile -- hand` measures one thing alone; with `built` what was
 * built last is measured.
 */
installDebian([CHROMIUM_PACKAGE]);
installPackages();
if (!process.argv.includes('built')) build();

const PORT = 4196;
const LAYERS = 40;
const KEYS = 20_000;
const MOVES = 60;

const server = await startServer(PORT);
const browser = await chromium.launch(CHROMIUM);
try {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.addInitScript(() =>
    localStorage.setItem('evlay.preferences', JSON.stringify({ state: { lightDisplay: true }, version: 0 })),
  );
  /** Opens a project of a rig of `joints`, of which each layer keys `keyed`. */
  const open = (joints, keyed, layers = LAYERS, mixed = false, keys = KEYS) =>
    openFile(heavyProject(joints, keyed, layers, mixed, keys));
  const openFile = async (buffer) => {
    await page.goto(`http://127.0.0.1:${PORT}/`);
    await page.getByRole('heading', { name: 'Projects' }).waitFor();
    await page
      .locator('input[type=file]')
      .setInputFiles({ name: 'heavy.evlay', mimeType: 'application/zip', buffer });
    await page.waitForURL(/\/p\//);
    await page.getByRole('slider', { name: /^head/ }).waitFor();
    await page.getByText('saved ✓').waitFor();
  };

  const cdp = await page.context().newCDPSession(page);
  await cdp.send('Performance.enable', { timeDomain: 'threadTicks' });
  const counters = async () => {
    const { metrics } = await cdp.send('Performance.getMetrics');
    return Object.fromEntries(metrics.map(({ name, value }) => [name, value]));
  };
  const frame = () => page.evaluate(() => new Promise((done) => requestAnimationFrame(() => done())));

  /** There and back from move to move, at an even pace, so that the hand never pauses: from 0 to 1. */
  const there = (k) => 1 - Math.abs(((k / 15) % 2) - 1);

  /** Script and layout, ms a move. */
  const measure = async (what, move) => {
    for (let k = 1; k < 10; k++) await move(k);
    const before = await counters();
    for (let k = 10; k < 10 + MOVES; k++) {
      await move(k);
      await frame();
    }
    const after = await counters();
    const per = (name) => (1000 * (after[name] - before[name])) / MOVES;
    const layout = per('LayoutDuration') + per('RecalcStyleDuration');
    console.log(
      `${what}: script ${per('ScriptDuration').toFixed(1)} ms a move, layout and style ${layout.toFixed(1)} ms, ` +
        `all of the page's thread ${per('TaskDuration').toFixed(1)} ms`,
    );
  };

  /** As {@link measure}, of a drag from a place, which is taken back. */
  const measureDrag = async (what, from, by) => {
    await page.mouse.move(from.x + 1, from.y + 1);
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await measure(what, (k) => page.mouse.move(from.x + by.x * there(k), from.y + by.y * there(k)));
    await page.keyboard.press('Escape');
    await page.mouse.up();
  };

  /** What is measured, by name. */
  const things = {
    async hand() {
      await open(65, 21);
      await page
        .locator('[data-scrolls]')
        .first()
        .evaluate((lanes) => lanes.scrollTo(0, lanes.scrollHeight));
      await frame();
      await page
        .getByRole('button', { name: /Layer 1\s*additive$/ })
        .first()
        .click();
      await page.getByRole('slider', { name: /^left hand/ }).press('Enter');
      await page.getByRole('button', { name: 'Move joints' }).click();
      await frame();
      const { x, y } = await page.locator('[data-joint="LeftHand"]').boundingBox();
      await measureDrag('a hand on the lowest layer', { x, y }, { x: 60, y: 40 });
      await page.keyboard.press('Escape');
    },
    async keys() {
      await open(65, 21);
      const edge = await page.getByRole('separator', { name: 'Height of the lanes' }).boundingBox();
      await page.mouse.move(640, edge.y + 2);
      await page.mouse.down();
      await page.mouse.move(640, 60, { steps: 5 });
      await page.mouse.up();
      const closed = page.getByRole('button', { name: /^Open the lane of/ });
      while ((await closed.count()) > 0) await closed.first().click();
      const rows = page.locator('[data-scrolls]').first();
      await rows.evaluate((lanes) => lanes.scrollTo(0, lanes.scrollHeight / 2));
      await frame();
      const lanes = await rows.boundingBox();
      await page.mouse.move(1231, lanes.y + 20);
      await page.mouse.down();
      await page.mouse.move(455, lanes.y + lanes.height - 10, { steps: 5 });
      await page.mouse.up();
      await frame();
      const bar = await page.locator('[data-picked-bar] rect').first().boundingBox();
      const [count] = await page.getByText(/^\d+ keys$/).allTextContents();
      const middle = { x: bar.x + bar.width / 2, y: bar.y + bar.height / 2 };
      await measureDrag(`${count} in ${LAYERS} open lanes`, middle, { x: 40, y: 0 });
    },
    async frames() {
      await open(65, 21, 50, true);
      const edge = await page.getByRole('separator', { name: 'Height of the lanes' }).boundingBox();
      await page.mouse.move(640, edge.y + 2);
      await page.mouse.down();
      await page.mouse.move(640, 260, { steps: 5 });
      await page.mouse.up();
      // The view is made anew a moment after its size has changed.
      await page.waitForTimeout(1000);
      await page.keyboard.press('Space');
      await measure('a frame of 50 layers that plays, half of them override by part', () => undefined);
      await page.keyboard.press('Space');
    },
    async scene() {
      for (const skinned of [false, true]) {
        await openFile(sceneOfTwo(skinned));
        await page.waitForTimeout(1000);
        await page.keyboard.press('Space');
        // What is done for each frame is compiled by then.
        await page.waitForTimeout(5000);
        const what = skinned ? 'with the skin of Wick' : 'of 65 joints';
        await measure(`a frame of two characters ${what}, 25 layers each, that plays`, () => undefined);
        await page.keyboard.press('Space');
      }
    },
    async opening() {
      await page.goto(`http://127.0.0.1:${PORT}/`);
      await page.getByRole('heading', { name: 'Projects' }).waitFor();
      await page.getByRole('main').getByRole('button', { name: 'Open the demo' }).click();
      await page.waitForURL(/\/p\//);
      await page.getByText('saved ✓').waitFor();
      await page.getByRole('tab', { name: 'Joint' }).click();
      const file = page.locator('input[aria-label="Add a character from a file"]');
      await file.waitFor({ state: 'attached' });
      const begun = performance.now();
      await file.setInputFiles(join(ROOT, 'apps/web/dist/demo/wick.glb'));
      await page.getByRole('group', { name: 'Characters' }).getByRole('button').nth(1).waitFor();
      await frame();
      console.log(`a second character is there after ${Math.round(performance.now() - begun)} ms`);
    },
    async first() {
      const times = [];
      for (let round = 0; round < 5; round++) {
        // Nothing is in any cache.
        const cold = await chromium.launch(CHROMIUM);
        const fresh = await cold.newPage({ viewport: { width: 1280, height: 800 } });
        await fresh.addInitScript(watchFigure, FIGURE);
        const begun = performance.now();
        await fresh.goto(`http://127.0.0.1:${PORT}/`);
        const demo = fresh.getByRole('main').getByRole('button', { name: 'Open the demo' });
        await demo.waitFor();
        const list = performance.now() - begun;
        await demo.click();
        const clicked = performance.now();
        await fresh.waitForFunction(() => window.figureSeen);
        times.push({ list, picture: performance.now() - clicked });
        await cold.close();
      }
      const median = (name) => Math.round(times.map((one) => one[name]).sort((a, b) => a - b)[2]);
      console.log(
        `Projects is seen ${median('list')} ms after a cold start, the demo ${median('picture')} ms after a click`,
      );
    },
    async storage() {
      for (const layers of [LAYERS + 1, 2]) {
        await open(65, 31, layers, false, 50_000);
        await page.evaluate(watchSaving);
        const lane = page.getByRole('button', { name: /Layer 1\s*additive$/ }).first();
        await page
          .locator('[data-scrolls]')
          .first()
          .evaluate((lanes) => lanes.scrollTo(0, lanes.scrollHeight));
        await lane.click();
        const weight = page.getByRole('spinbutton', { name: 'Weight of Layer 1' }).first();
        for (let k = 0; k < 20; k++) {
          await weight.press(k % 2 === 0 ? 'ArrowDown' : 'ArrowUp');
          await page.getByText('saved ✓').waitFor();
        }
        const { times, sizes } = await page.evaluate(() => window.saving);
        const median = [...times].sort((a, b) => a - b)[times.length >> 1];
        console.log(
          `an edit with ${layers - 1} layers: ${(Math.max(...sizes) / 1000).toFixed(0)} kB written at most, ` +
            `${median.toFixed(1)} ms of the page's thread`,
        );
      }
    },
    async memory() {
      const project = longProject(300, 120, 16);
      await openFile(project);
      await page.keyboard.press('Space');
      await page.waitForTimeout(3000);
      await page.keyboard.press('Space');
      await page.getByRole('link', { name: 'Bake' }).click();
      for (const kind of ['BVH', 'GLB']) {
        await page.getByRole('button', { name: kind, exact: true }).click();
        const [download] = await Promise.all([
          page.waitForEvent('download'),
          page.getByRole('button', { name: `Bake to ${kind}` }).click(),
        ]);
        await download.path();
      }
      const system = await browser.newBrowserCDPSession();
      const { processInfo } = await system.send('SystemInfo.getProcessInfo');
      const most = Math.max(
        ...processInfo.filter(({ type }) => type === 'renderer').map(({ id }) => mostMemory(id)),
      );
      console.log(
        `five minutes at 120, 16 layers, played and baked: the page had ${megabytes(most)} at most`,
      );
      const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
      writeFileSync(join(folder, 'long.evlay'), project);
      for (const ending of ['bvh', 'glb']) {
        const out = ['--out', join(folder, `long.${ending}`), '--fps', '120'];
        const memory = await memoryOfCommand('bake', join(folder, 'long.evlay'), ...out);
        console.log(`the same to .${ending} by the command line: ${megabytes(memory)} at most`);
      }
    },
    async takes() {
      const path = join(mkdtempSync(join(tmpdir(), 'evlay-')), 'takes.evlay');
      writeFileSync(path, projectOfTakes(24, 300, 30));
      await page.addInitScript(() => {
        window.tasks = [];
        new PerformanceObserver((list) => {
          for (const { duration } of list.getEntries()) window.tasks.push(Math.round(duration));
        }).observe({ entryTypes: ['longtask'] });
      });
      const tell = async (what) => {
        const tasks = await page.evaluate(() => window.tasks.splice(0));
        const said = tasks.length === 0 ? 'none' : `${tasks.length}, of ${Math.max(...tasks)} ms at most`;
        console.log(`two hours of takes, ${what}; tasks over 50 ms: ${said}`);
      };
      await page.goto(`http://127.0.0.1:${PORT}/`);
      await page.getByRole('heading', { name: 'Projects' }).waitFor();
      const began = performance.now();
      await page.locator('input[type=file]').setInputFiles(path);
      await page.waitForURL(/\/p\//, { timeout: 120_000 });
      await page.getByRole('slider', { name: /^head/ }).waitFor();
      await page.getByText('saved ✓').waitFor();
      await tell(`opened and put away in ${((performance.now() - began) / 1000).toFixed(1)} s`);
      await page.keyboard.press('Space');
      await page.waitForTimeout(3000);
      await page.keyboard.press('Space');
      await tell('played for 3 s');
      const weight = page.getByRole('spinbutton', { name: 'Weight of Layer 1' }).first();
      const { x, y } = await weight.boundingBox();
      await page.mouse.move(x + 5, y + 5);
      await page.mouse.down();
      for (let k = 0; k < 30; k++) await page.mouse.move(x + 5 + k, y + 5);
      await page.mouse.up();
      await tell('a weight dragged over 30 moves');
    },
    async scroll() {
      await open(65, 3, 200);
      const lanes = await page.locator('[data-scrolls]').first().boundingBox();
      await page.mouse.move(lanes.x + 200, lanes.y + lanes.height / 2);
      await page.evaluate(() => {
        window.longest = 0;
        new PerformanceObserver((list) => {
          for (const { duration } of list.getEntries()) window.longest = Math.max(window.longest, duration);
        }).observe({ entryTypes: ['longtask'] });
      });
      await measure('200 lanes scrolled', (k) => page.mouse.wheel(0, there(k + 1) > there(k) ? 220 : -220));
      const longest = await page.evaluate(() => window.longest);
      console.log(`200 lanes scrolled: ${longest === 0 ? 'no long task' : `a task of ${longest} ms`}`);
    },
    async curves() {
      await open(300, 67);
      await page
        .getByRole('button', { name: /Layer 39\s*additive$/ })
        .first()
        .click();
      await page.keyboard.press('c');
      const graph = page.locator('[data-graph]');
      const { x, y, width, height } = await graph.boundingBox();
      const count = 3 * 67;
      await page.mouse.move(x + width / 2, y + height / 2);
      const wheel = (k) => page.mouse.wheel(0, there(k + 1) > there(k) ? 40 : -40);
      await measure(`${count} curves, values zoomed`, wheel);
      for (const [key, what] of [
        ['Control', 'time zoomed'],
        ['Shift', 'time moved along'],
      ]) {
        await page.keyboard.down(key);
        await measure(`${count} curves, ${what}`, wheel);
        await page.keyboard.up(key);
      }
      await page.keyboard.press('Shift+f');
      await page.mouse.move(x + 4, y + 2);
      await page.mouse.down();
      await page.mouse.move(x + width / 2 + 20, y + height - 2, { steps: 5 });
      await page.mouse.up();
      await frame();
      const [keys] = await page.getByText(/^\d+ keys$/).allTextContents();
      const bar = await page.locator('[data-picked-bar] rect').first().boundingBox();
      const middle = { x: bar.x + bar.width / 2, y: bar.y + bar.height / 2 };
      await measureDrag(`${count} curves, ${keys} dragged`, middle, { x: 60, y: 0 });
    },
  };
  const asked = process.argv.slice(2).filter((word) => word !== 'built');
  for (const [name, thing] of Object.entries(things))
    if (asked.length === 0 || asked.includes(name)) await thing();
} finally {
  await browser.close();
  server.kill();
}
