import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
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
if (!process.argv.includes("built")) build();

const PORT = 4196;
const LAYERS = 40;
const KEYS = 20_000;
const MOVES = 60;

/** The demo's walk with a chain of more joints on the hips, so that the rig has as many as wanted. */
function walkOfMoreJoints(bvh, joints) {
  const more = joints - (bvh.match(/ROOT|JOINT/g) ?? []).length;
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

/**
 * A project of one take under layers that have all the keys: additive ones; with `mixed` every second one is an override
 * layer with keyed weights of parts.
 */
function heavyProject(count, keyed, layerCount, mixed, keys = KEYS) {
  const demo = unzipSync(readFileSync(join(ROOT, 'apps/web/dist/demo/lamp-lighting.evlay')));
  const bvh = walkOfMoreJoints(new TextDecoder().decode(demo['takes/walk.bvh']), count);
  const names = [...bvh.matchAll(/(?:ROOT|JOINT) (\S+)/g)].map(([, name]) => name);
  const arms = names.filter((name) => /Arm|Forearm|Hand$|Leg|Foot|Spine|Chest|Neck|Head|Shoulder/.test(name));
  const joints = arms.concat(names.filter((name) => !arms.includes(name))).slice(0, keyed);
  const keysOfCurve = Math.max(2, Math.ceil(keys / (layerCount - 1) / joints.length / (keyed > 30 ? 3 : 1)));
  // In whole frames, where there are as many.
  const frameOf = (k) => {
    const frame = (120 * k) / (keysOfCurve - 1);
    return keysOfCurve > 121 ? Number(frame.toFixed(4)) : Math.round(frame);
  };
  const curve = (layer, axis) => ({
    keys: Array.from({ length: keysOfCurve }, (_, k) => [
      frameOf(k),
      Math.sin(layer + axis + k),
    ]),
  });
  const weight = (n) => ({
    keys: [
      [0, 0.2],
      [(7 * n) % 120 || 1, 0.8],
      [120, 0.4],
    ].sort((a, b) => a[0] - b[0]),
  });
  const parts = ['head', 'torso', 'leftArm', 'rightArm', 'leftLeg', 'rightLeg'];
  const layers = Array.from({ length: layerCount - 1 }, (_, n) => ({
    name: `Layer ${n + 1}`,
    mode: mixed && n % 2 === 1 ? 'override' : 'additive',
    ...(mixed && { mask: Object.fromEntries(parts.map((part, k) => [part, weight(n + k + 1)])) }),
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

/**
 * A project of so many takes, each the demo's walk played over and over at so many samples a second, and of layers over the
 * first: additive ones of keys.
 */
function longProject(takes, seconds, rate, layerCount) {
  const demo = unzipSync(readFileSync(join(ROOT, 'apps/web/dist/demo/lamp-lighting.evlay')));
  const walk = new TextDecoder().decode(demo['takes/walk.bvh']);
  const names = [...walk.matchAll(/(?:ROOT|JOINT) (\S+)/g)].map(([, name]) => name);
  const motion = walk.indexOf('MOTION');
  const rows = walk
    .slice(motion)
    .split('\n')
    .filter((line) => /^[-\d]/.test(line));
  const count = Math.round(seconds * rate) + 1;
  const bvhOf = (shift) => {
    const lines = Array.from({ length: count }, (_, s) => rows[(s + shift) % rows.length]);
    const head = `MOTION\nFrames: ${count}\nFrame Time: ${(1 / rate).toFixed(9)}\n`;
    return strToU8(`${walk.slice(0, motion)}${head}${lines.join('\n')}\n`);
  };
  const joints = names.filter((name) => /Arm|Forearm|Hand$|Spine|Chest|Neck|Head|Shoulder/.test(name));
  const wave = (n, axis) => ({
    keys: Array.from({ length: 40 }, (_, k) => [
      Math.round((k * seconds * 30) / 40),
      5 * Math.sin(n + axis + k),
    ]),
  });
  const layers = Array.from({ length: layerCount - 1 }, (_, n) => ({
    name: `Layer ${n + 1}`,
    mode: 'additive',
    weight: 0.5,
    channels: Object.fromEntries(
      joints.map((joint, j) => [
        joint,
        Object.fromEntries(['rx', 'ry', 'rz'].map((c, axis) => [c, wave(n + j, axis)])),
      ]),
    ),
  }));
  const file = (k) => `takes/walk-${k + 1}.bvh`;
  const stack = {
    format: 'evlay-stack',
    version: 1,
    fps: 30,
    range: [0, seconds * 30],
    ...(takes > 1 && {
      takes: Array.from({ length: takes }, (_, k) => ({ name: `Walk ${k + 1}`, file: file(k) })),
    }),
    layers: [{ name: 'Walk', take: { file: file(0) } }, ...layers],
  };
  const files = Object.fromEntries(Array.from({ length: takes }, (_, k) => [file(k), bvhOf(k)]));
  return Buffer.from(zipSync({ 'stack.json': strToU8(JSON.stringify(stack)), ...files }, { level: 1 }));
}

/** The most memory that a process had, in bytes, as Linux counts it; 0 once it has ended. */
function mostMemory(pid) {
  try {
    return 1024 * Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))[1]);
  } catch {
    return 0;
  }
}

const megabytes = (bytes) => `${Math.round(bytes / 1e6)} MB`;

/** Runs the command line, and returns the most memory that it had. */
function memoryOfCommand(...args) {
  const child = spawn(process.execPath, [join(ROOT, 'apps/cli/bin/evlay.mjs'), ...args], { stdio: 'ignore' });
  let most = 0;
  const look = setInterval(() => {
    most = Math.max(most, mostMemory(child.pid));
  }, 20);
  return new Promise((done, fail) =>
    child.on('exit', (code) => {
      clearInterval(look);
      if (code === 0) done(most);
      else fail(new Error(`evlay ${args.join(' ')} ended with ${code}`));
    }),
  );
}

/** When the feet of the demo's walk stand. */
const STANCES = {
  left: [
    [2, 20],
    [35, 53],
    [68, 86],
    [101, 120],
  ],
  right: [
    [18, 37],
    [52, 70],
    [85, 103],
  ],
};

/**
 * Two characters that walk beside each other: each with a take, keyed layers, held contacts and three targets, one of which is
 * a hand on the other. With `skinned` they are the demo's Wick; else skeletons of 65 joints.
 */
function sceneOfTwo(skinned) {
  const demo = unzipSync(readFileSync(join(ROOT, 'apps/web/dist/demo/lamp-lighting.evlay')));
  const walk = new TextDecoder().decode(demo['takes/walk.bvh']);
  const bvh = skinned ? walk : walkOfMoreJoints(walk, 65);
  const names = [...walk.matchAll(/(?:ROOT|JOINT) (\S+)/g)].map(([, name]) => name);
  const joints = names.filter((name) => /Arm|Forearm|Hand$|Spine|Chest|Neck|Head|Shoulder/.test(name));
  const rig = skinned ? 'rig.glb' : 'takes/walk.bvh';
  const wave = (n, axis) => ({
    keys: Array.from({ length: 9 }, (_, k) => [15 * k, 3 * Math.sin(n + axis + k)]),
  });
  const layersOf = (prefix, other) => [
    { name: `${prefix}walk`, take: { file: 'takes/walk.bvh' }, ...(prefix && { character: 'Other' }) },
    ...Array.from({ length: 20 }, (_, n) => ({
      name: `${prefix}layer ${n + 1}`,
      mode: 'additive',
      channels: Object.fromEntries(
        joints.map((joint, j) => [
          `${prefix}${joint}`,
          Object.fromEntries(['rx', 'ry', 'rz'].map((c, axis) => [c, wave(n + j, axis)])),
        ]),
      ),
    })),
    {
      name: `${prefix}feet`,
      contacts: {
        fade: 4,
        hips: true,
        limbs: Object.fromEntries(
          Object.entries(STANCES).map(([side, spans]) => [
            `${prefix}${side}Leg`,
            { points: [{ joint: `${prefix}${side === 'left' ? 'Left' : 'Right'}Foot`, floor: 0.08 }], spans },
          ]),
        ),
      },
    },
    ...[
      { joint: 'LeftHand', space: { joint: `${other}RightShoulder` }, at: { ty: 0.05 } },
      { joint: 'RightHand', space: { joint: `${prefix}Hips` }, at: { tx: -0.3, tz: 0.2 } },
      { joint: 'LeftHand', space: { joint: `${prefix}Chest` }, at: { tz: 0.3 }, half: true },
    ].map(({ half, joint, ...target }, k) => ({
      name: `${prefix}reach ${k + 1}`,
      weight: half ? 0.3 : 0.8,
      targets: [{ joint: `${prefix}${joint}`, ...target }],
    })),
  ];
  const stack = {
    format: 'evlay-stack',
    version: 1,
    fps: 30,
    range: [0, 120],
    rig,
    characters: [{ name: 'Other', rig, at: [0.8, 0, 0] }],
    layers: [...layersOf('', 'Other/'), ...layersOf('Other/', '')],
  };
  const files = { 'stack.json': strToU8(JSON.stringify(stack)), 'takes/walk.bvh': strToU8(bvh) };
  return Buffer.from(zipSync(skinned ? { ...files, 'rig.glb': demo['rig.glb'] } : files));
}

/** Indices of the figure's largest mesh: fewer are drawn of anything else at once. */
const FIGURE = 10000;

/** In the page: says when something as large as the figure was drawn, at the next picture. */
function watchFigure(least) {
  const { drawElements } = WebGL2RenderingContext.prototype;
  WebGL2RenderingContext.prototype.drawElements = function (mode, count, ...rest) {
    drawElements.call(this, mode, count, ...rest);
    if (count >= least && !window.figureSeen) {
      window.figureSeen = true;
      this.finish();
    }
  };
}

/** In the page: how long each save took on its thread, and how many bytes it wrote. */
function watchSaving() {
  window.saving = { times: [], sizes: [] };
  new PerformanceObserver((list) => {
    for (const { duration } of list.getEntriesByName('evlay: save')) {
      window.saving.times.push(duration);
      window.saving.sizes.push(0);
    }
  }).observe({ entryTypes: ['measure'] });
  const { put } = IDBObjectStore.prototype;
  IDBObjectStore.prototype.put = function (value, ...key) {
    const { sizes } = window.saving;
    const size = typeof value === 'string' ? value.length : JSON.stringify(value).length;
    if (sizes.length > 0) sizes[sizes.length - 1] += size;
    return put.call(this, value, ...key);
  };
}

/** In the page: tasks of its thread that took over 50 ms. */
function watchTasks() {
  window.tasks = [];
  new PerformanceObserver((list) => {
    for (const { duration, startTime } of list.getEntries())
      window.tasks.push(`${Math.round(duration)} ms at ${(startTime / 1000).toFixed(1)} s`);
  }).observe({ entryTypes: ['longtask'] });
}

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
      const project = longProject(1, 300, 120, 16);
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
    async long() {
      const project = longProject(12, 600, 30, 8);
      await page.addInitScript(watchTasks);
      await openFile(project);
      const longest = async (what) => {
        const tasks = await page.evaluate(() => window.tasks.splice(0));
        console.log(
          `two hours of takes, ${what}: ${tasks.length === 0 ? 'no task over 50 ms' : tasks.join(', ')}`,
        );
      };
      await longest('opened');
      await page.keyboard.press('Space');
      await page.waitForTimeout(3000);
      await page.keyboard.press('Space');
      await longest('played');
      const weight = page.getByRole('spinbutton', { name: 'Weight of Layer 1' }).first();
      const { x, y } = await weight.boundingBox();
      await measureDrag('two hours of takes, a weight dragged', { x: x + 5, y: y + 5 }, { x: 40, y: 0 });
      await longest('a weight dragged');
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
  for (const [name, thing] of Object.entries(things))
    if (process.argv.length < 3 || process.argv.includes(name)) await thing();
} finally {
  await browser.close();
  server.kill();
}
