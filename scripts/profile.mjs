import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { strToU8, unzipSync, zipSync } from 'fflate';
import { build } from './build.mjs';
import { CHROMIUM } from './chromium.mjs';
import { installDebian, installPackages, ROOT, startServer } from './run.mjs';

/**
 * Measures the page on a heavy stack, by Chromium's own counters: what a move of the pointer costs the page's thread, in
 * time of the processor, so that what else runs on the machine counts for little. `npm run profile -- hand` measures one
 * thing alone.
 */
installDebian([{ name: 'chromium', file: '/usr/bin/chromium' }]);
installPackages();
build();

const PORT = 4196;
const JOINTS = 65;
const LAYERS = 40;
const KEYS = 20_000;
const MOVES = 60;

/** The demo's walk with a chain of more joints on the hips, so that the rig has as many as wanted. */
function walkOfMoreJoints(bvh) {
  const more = JOINTS - (bvh.match(/ROOT|JOINT/g) ?? []).length;
  const end = bvh.lastIndexOf('}', bvh.indexOf('MOTION'));
  const chain = Array.from(
    { length: more },
    (_, k) =>
      `JOINT Cord${k + 1}\n{\nOFFSET 0 ${k === 0 ? 0.1 : -0.05} -0.1\nCHANNELS 3 Zrotation Xrotation Yrotation\n`,
  );
  const body = `${chain.join('')}End Site\n{\nOFFSET 0 -0.05 0\n}\n${'}\n'.repeat(more)}`;
  const rows = bvh.slice(end).replace(/^(?=[-\d].*)(.*)$/gm, `$1${' 0'.repeat(3 * more)}`);
  return bvh.slice(0, end) + body + rows;
}

/** A project of one take under additive layers that have all the keys. */
function heavyProject() {
  const demo = unzipSync(readFileSync(join(ROOT, 'apps/web/dist/demo/lamp-lighting.evlay')));
  const bvh = walkOfMoreJoints(new TextDecoder().decode(demo['takes/walk.bvh']));
  const names = [...bvh.matchAll(/(?:ROOT|JOINT) (\S+)/g)].map(([, name]) => name);
  const arms = names.filter((name) => /Arm|Forearm|Hand$|Leg|Foot|Spine|Chest|Neck|Head|Shoulder/.test(name));
  const joints = arms.concat(names.filter((name) => !arms.includes(name))).slice(0, 21);
  const keysOfCurve = Math.ceil(KEYS / (LAYERS - 1) / joints.length);
  const curve = (layer, axis) => ({
    keys: Array.from({ length: keysOfCurve }, (_, k) => [5 * k, Math.sin(layer + axis + k)]),
  });
  const layers = Array.from({ length: LAYERS - 1 }, (_, n) => ({
    name: `Layer ${n + 1}`,
    mode: 'additive',
    channels: Object.fromEntries(
      joints.map((joint, j) => [
        joint,
        Object.fromEntries(['rx', 'ry', 'rz'].map((c, axis) => [c, curve(n + j, axis)])),
      ]),
    ),
  }));
  const stack = {
    format: 'evlay-stack',
    version: 1,
    fps: 30,
    range: [0, 120],
    layers: [{ name: 'Walk', take: { file: 'takes/walk.bvh' } }, ...layers],
  };
  return Buffer.from(
    zipSync({ 'stack.json': strToU8(JSON.stringify(stack)), 'takes/walk.bvh': strToU8(bvh) }),
  );
}

const server = await startServer(PORT);
const browser = await chromium.launch(CHROMIUM);
try {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.addInitScript(() =>
    localStorage.setItem('evlay.preferences', JSON.stringify({ state: { lightDisplay: true }, version: 0 })),
  );
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await page.getByRole('heading', { name: 'Projects' }).waitFor();
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'heavy.evlay', mimeType: 'application/zip', buffer: heavyProject() });
  await page.waitForURL(/\/p\//);
  await page.getByRole('slider', { name: /^head/ }).waitFor();
  await page.getByText('saved ✓').waitFor();

  const cdp = await page.context().newCDPSession(page);
  await cdp.send('Performance.enable', { timeDomain: 'threadTicks' });
  const counters = async () => {
    const { metrics } = await cdp.send('Performance.getMetrics');
    return Object.fromEntries(metrics.map(({ name, value }) => [name, value]));
  };
  const frame = () => page.evaluate(() => new Promise((done) => requestAnimationFrame(() => done())));

  /** Script and layout, ms a move, of a drag there and back from a place; let go of at its start. */
  const measure = async (what, from, by) => {
    await page.mouse.move(from.x + 1, from.y + 1);
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    // There and back at an even pace, so that the hand never pauses.
    const there = (k) => 1 - Math.abs(((k / 15) % 2) - 1);
    const to = (k) => page.mouse.move(from.x + by.x * there(k), from.y + by.y * there(k));
    for (let k = 1; k < 10; k++) await to(k);
    const before = await counters();
    for (let k = 10; k < 10 + MOVES; k++) {
      await to(k);
      await frame();
    }
    const after = await counters();
    await page.keyboard.press('Escape');
    await page.mouse.up();
    const per = (name) => (1000 * (after[name] - before[name])) / MOVES;
    const layout = per('LayoutDuration') + per('RecalcStyleDuration');
    console.log(
      `${what}: script ${(per('ScriptDuration')).toFixed(1)} ms a move, layout and style ${layout.toFixed(1)} ms, ` +
        `all of the page's thread ${per('TaskDuration').toFixed(1)} ms`,
    );
  };

  /** What is measured, by name. */
  const things = {
    async hand() {
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
      await measure('a hand on the lowest layer', { x, y }, { x: 60, y: 40 });
      await page.keyboard.press('Escape');
    },
    async keys() {
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
      await measure(`${count} in ${LAYERS} open lanes`, middle, { x: 40, y: 0 });
    },
  };
  for (const [name, thing] of Object.entries(things))
    if (process.argv.length < 3 || process.argv.includes(name)) await thing();
} finally {
  await browser.close();
  server.kill();
}
