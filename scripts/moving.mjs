import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { build } from './build.mjs';
import { CHROMIUM, CHROMIUM_PACKAGE } from './chromium.mjs';
import { installDebian, installPackages, ROOT, startServer } from './run.mjs';

/**
 * Takes the moving pictures of Help from the demo, one for a step of the order of work, into apps/web/public/help/. Each is
 * put together of single pictures, so that it is as smooth on a slow machine. Names of steps after the call take these alone.
 */
installDebian([CHROMIUM_PACKAGE, { name: 'ffmpeg', file: '/usr/bin/ffmpeg' }]);
installPackages();
build();

const PORT = 4197;
/** Pictures a second, and how wide they are in Help. */
const RATE = 10;
const WIDTH = 720;
const OUT = join(ROOT, 'apps', 'web', 'public', 'help');

const server = await startServer(PORT);
const browser = await chromium.launch(CHROMIUM);
let page;

/** Opens the demo as it is the first time. */
async function openDemo() {
  await page?.context().close();
  page = await browser.newPage({ viewport: { width: 1080, height: 720 }, colorScheme: 'dark' });
  await page.addInitScript(() => {
    localStorage.setItem(
      'evlay.preferences',
      JSON.stringify({ state: { lightWhenSlow: false, session: { mapFold: 'open' } }, version: 0 }),
    );
    // A picture of a page has no pointer: a ring that is filled while a button is down stands for it.
    addEventListener('DOMContentLoaded', () => {
      const pointer = document.createElement('div');
      pointer.style.cssText =
        'position:fixed;z-index:9999;width:18px;height:18px;margin:-9px;border:2px solid #fff;border-radius:50%;pointer-events:none;box-shadow:0 0 4px #000;left:-50px';
      document.body.append(pointer);
      addEventListener(
        'pointermove',
        ({ clientX, clientY }) => {
          pointer.style.left = `${clientX}px`;
          pointer.style.top = `${clientY}px`;
        },
        true,
      );
      for (const [name, fill] of [
        ['pointerdown', '#fff9'],
        ['pointerup', 'none'],
      ])
        addEventListener(name, () => (pointer.style.background = fill), true);
    });
  });
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await page.getByRole('main').getByRole('button', { name: 'Open the demo' }).click();
  await page.getByRole('slider', { name: /^hips/ }).waitFor();
  await page.waitForTimeout(2500);
}

let pictures = [];
let at = { x: 540, y: 300 };

/** Takes a picture and shows it for so many pictures of the film. */
async function hold(count = 1) {
  await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
  const picture = await page.screenshot();
  for (let k = 0; k < count; k++) pictures.push(picture);
}

/** Moves the pointer to a place, seen on its way. */
async function moveTo(x, y, steps = 5) {
  const from = at;
  for (let k = 1; k <= steps; k++) {
    at = { x: from.x + ((x - from.x) * k) / steps, y: from.y + ((y - from.y) * k) / steps };
    await page.mouse.move(at.x, at.y);
    await hold();
  }
}

const middleOf = async (locator) => {
  await locator.scrollIntoViewIfNeeded();
  const { x, y, width, height } = await locator.boundingBox();
  return [x + width / 2, y + height / 2];
};

async function click(locator, pause = 5) {
  await moveTo(...(await middleOf(locator)));
  await page.mouse.down();
  await hold();
  await page.mouse.up();
  await page.waitForTimeout(400);
  await hold(pause);
}

async function dragBy(dx, dy, steps = 10) {
  await page.mouse.down();
  await moveTo(at.x + dx, at.y + dy, steps);
  await page.mouse.up();
  await hold(6);
}

async function dragHandles(joint, dx, dy) {
  await page.waitForTimeout(500);
  const { x, y } = await page.locator(`[data-joint="${joint}"]`).boundingBox();
  await moveTo(x + 1, y + 1);
  await moveTo(x, y, 1);
  await dragBy(dx, dy);
}

/** The playhead goes on over some frames. */
async function play(frames, step = 3) {
  for (let k = 0; k < frames; k += step) {
    for (let one = 0; one < step; one++) await page.keyboard.press('ArrowRight');
    await hold();
  }
}

async function goTo(frame) {
  await page.keyboard.press('Home');
  for (let k = 0; k < Math.floor(frame / 10); k++) await page.keyboard.press('Shift+ArrowRight');
  for (let k = 0; k < frame % 10; k++) await page.keyboard.press('ArrowRight');
  await page.waitForTimeout(500);
}

const button = (name) => page.getByRole('button', { name });
const part = (name) => page.locator(`[data-part="${name}"]`);
const lane = (name) => page.locator('button[aria-pressed]', { hasText: name }).first();
const tab = (name) => page.getByRole('tab', { name });

/** What is seen in each, on the demo as it is opened first. */
const FILMS = {
  async Layer() {
    await goTo(40);
    await hold(6);
    await click(part('torso'));
    await click(button('Add additive layer'), 8);
    await dragHandles('UpperChest', 14, 5);
    await play(24);
  },
  async Key() {
    await goTo(20);
    await click(lane('Lantern arm'));
    await click(part('rightHand'));
    await click(button('Move joints'));
    await goTo(40);
    await dragHandles('RightHand', -20, -60);
    await goTo(40);
    await play(30);
  },
  async Pose() {
    await goTo(60);
    await click(button('Add override layer'));
    await click(part('leftHand'));
    await click(tab('Poses'));
    await click(page.getByRole('button', { name: 'Apply Fist', exact: true }), 10);
    await click(page.getByRole('button', { name: 'Apply Pointing', exact: true }), 10);
  },
  async Weigh() {
    await goTo(60);
    await click(lane('Lantern arm'));
    await moveTo(...(await middleOf(part('rightArm'))));
    await dragBy(0, 60);
    await click(page.getByRole('button', { name: 'Undo' }));
    const [x, y] = await middleOf(page.locator('[data-lanes] svg').first());
    await moveTo(x - 40, y);
    await dragBy(0, 40);
    await play(20);
  },
  async Polish() {
    await goTo(46);
    await click(lane('Lantern arm'));
    await click(part('rightArm'));
    await page.keyboard.press('c');
    await page.waitForTimeout(600);
    await hold(8);
    const graph = await page.locator('[data-graph]').boundingBox();
    await moveTo(graph.x + graph.width * 0.3, graph.y + 8);
    await dragBy(graph.width * 0.35, graph.height - 16, 8);
    await click(button('gentle'), 8);
    await page.keyboard.press('Shift+t');
    await page.waitForTimeout(1500);
    await hold(12);
  },
  async Ground() {
    await goTo(30);
    await click(button('Keep contacts'), 10);
    await page.keyboard.press('Home');
    await play(48);
  },
  async Compare() {
    await goTo(50);
    await click(button(/^Compare/), 8);
    await page.keyboard.press('g');
    await page.waitForTimeout(600);
    await hold(6);
    await play(45);
  },
  async Bake() {
    await click(page.getByRole('link', { name: 'Bake', exact: true }), 8);
    await page.waitForTimeout(1500);
    await hold(10);
    await click(page.getByRole('main').getByRole('button', { name: /^Bake/ }).last(), 6);
    await page.waitForTimeout(2500);
    await hold(16);
  },
};

mkdirSync(OUT, { recursive: true });
const wanted = process.argv.slice(2);
try {
  for (const [name, film] of Object.entries(FILMS)) {
    if (wanted.length > 0 && !wanted.includes(name)) continue;
    await openDemo();
    pictures = [];
    await film();
    const folder = mkdtempSync(join(tmpdir(), 'evlay-moving-'));
    for (const [k, picture] of pictures.entries())
      writeFileSync(join(folder, `${String(k).padStart(4, '0')}.png`), picture);
    const file = join(OUT, `${name.toLowerCase()}.webm`);
    const code = ['-c:v', 'libvpx-vp9', '-crf', '40', '-b:v', '0', '-pix_fmt', 'yuv420p'];
    const from = ['-framerate', String(RATE), '-i', join(folder, '%04d.png')];
    execFileSync('ffmpeg', ['-y', '-v', 'error', ...from, '-vf', `scale=${WIDTH}:-2`, ...code, file]);
    rmSync(folder, { recursive: true });
    console.log(`apps/web/public/help/${name.toLowerCase()}.webm: ${pictures.length} pictures`);
  }
} finally {
  await browser.close();
  server.kill();
}
