import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { keyed, newKey, newLayer, type Project } from '@evlay/core';
import { addProp } from '@evlay/core/edit';
import { readProject, writeProject } from '@evlay/core/format';
import { expect, type Page, test } from '@playwright/test';
import { unzipSync } from 'fflate';
import { downloadBy, expectAccessible, openDropped, type } from './app.js';

/**
 * Films of a box that goes across the picture of a camera, read back by ffmpeg: where the box is in picture n is known by the
 * projection of a pinhole camera, which shares nothing with the page.
 */
const DEMO = 'apps/web/public/demo/lamp-lighting.evlay';
const [WIDTH, HEIGHT, LAST] = [320, 180, 299];
/** It goes across, back, and across again: so a frame is nearly two pixels on. */
const ACROSS = 100;
/** A third of what it moves from one frame to the next, in pixels. */
const NEAR = 0.7;
const FOV = 40;
/** How far the box is from the camera, and how far it goes to each side of the middle. */
const [FAR, SIDE] = [4, 1.6];

async function scene(): Promise<Project> {
  const { project } = await readProject(readFileSync(DEMO), 'lamp-lighting.evlay');
  const bare: Project = {
    ...project,
    place: undefined,
    range: [0, LAST],
    takes: [],
    layers: [newLayer('Base', 'override')],
    variants: [
      { name: 'still', layers: { move: { muted: true } } },
      { name: 'whole', layers: {} },
    ],
    scene: { ...project.scene, props: [] },
  };
  const plain = { shape: 'box', size: [0.3, 0.3, 0.3], turn: [0, 0, 0] } as const;
  // Thin, so that its sides are not seen.
  const box = addProp(bare, { ...plain, name: 'Mark', size: [0.3, 0.3, 0.01], at: [0, 6, -6] });
  const seen = addProp(box, { ...plain, name: 'Shot', at: [0, 6, FAR - 6], camera: { fov: FOV } });
  const curve = {
    keys: [0, 1, 2, 3].map((k) => newKey(k * ACROSS, k % 2 === 0 ? -SIDE : SIDE, 'linear')),
  };
  const move = newLayer('Move', 'override', { id: 'move', content: keyed({ Mark: { tx: curve } }) });
  return { ...seen, layers: [...seen.layers, move] };
}

/** Across the picture, in pixels from its left edge, where the middle of the box is at a frame. */
function expectedAt(frame: number, width = WIDTH): number {
  const way = (frame / ACROSS) % 2;
  const x = -SIDE + 2 * SIDE * (way > 1 ? 2 - way : way);
  const half = Math.tan((FOV * Math.PI) / 360) * (FAR - 0.005);
  return width / 2 + (x / half) * (HEIGHT / 2);
}

/** Every picture of a film as grey numbers, by ffmpeg. */
function picturesOf(file: string): Buffer[] {
  const raw = execFileSync('ffmpeg', ['-v', 'error', '-i', file, '-f', 'rawvideo', '-pix_fmt', 'gray', '-'], {
    maxBuffer: 1e9,
  });
  const size = WIDTH * HEIGHT;
  return Array.from({ length: raw.length / size }, (_, k) => raw.subarray(k * size, (k + 1) * size));
}

/** The box is some eighty grey steps off the sky. What coding leaves behind of it, a few pixels from key picture to key picture, is half. */
const BOX = 50;

/** Where a picture differs from what is there most of the time: the middle of that, in pixels across. */
function markIn(picture: Buffer, background: Buffer, [from, to] = [0, WIDTH]): number {
  let [sum, weighed] = [0, 0];
  for (let y = HEIGHT / 3; y < (2 * HEIGHT) / 3; y++)
    for (let x = from; x < to; x++) {
      const off = Math.abs(picture[Math.floor(y) * WIDTH + x] - background[Math.floor(y) * WIDTH + x]);
      if (off < BOX) continue;
      sum += off;
      weighed += off * (x + 0.5);
    }
  return weighed / sum;
}

/** Of every pixel the middle value of all pictures. */
function backgroundOf(pictures: readonly Buffer[]): Buffer {
  const out = Buffer.alloc(WIDTH * HEIGHT);
  for (let k = 0; k < out.length; k++) {
    const values = pictures.map((picture) => picture[k]).sort((a, b) => a - b);
    out[k] = values[values.length >> 1];
  }
  return out;
}

const facts = (file: string): string =>
  execFileSync('ffprobe', [
    ...['-v', 'error', '-count_frames', '-select_streams', 'v', '-of', 'csv=p=0'],
    ...['-show_entries', 'stream=codec_name,width,height,avg_frame_rate,nb_read_frames', file],
  ])
    .toString()
    .trim();

async function film(page: Page, kind: string): Promise<string> {
  const panel = page.getByRole('region', { name: 'Film' });
  await panel.getByRole('button', { name: kind, exact: true }).click();
  const { name, bytes } = await downloadBy(page, () =>
    page.getByRole('button', { name: 'Make the film' }).click(),
  );
  const file = join(mkdtempSync(join(tmpdir(), 'evlay-')), name);
  writeFileSync(file, bytes);
  return file;
}

test('films have every frame in its place, in every kind of file; what is cancelled leaves nothing', async ({
  page,
}) => {
  const project = await scene();
  const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
  writeFileSync(join(folder, 'mark.evlay'), writeProject(project));
  await openDropped(page, join(folder, 'mark.evlay'));
  await page.getByRole('button', { name: 'Make a film' }).click();
  const panel = page.getByRole('region', { name: 'Film' });
  await expect(panel).toBeVisible();
  await expectAccessible(page);
  await type(panel.getByRole('spinbutton', { name: 'Width of the picture in pixels' }), String(WIDTH));
  await type(panel.getByRole('spinbutton', { name: 'Height of the picture in pixels' }), String(HEIGHT));
  await panel.getByRole('combobox', { name: 'Which camera films' }).selectOption('Shot');
  await panel.getByRole('button', { name: 'frame', exact: true }).click();

  await test.step('MP4: as many as asked, each shows its frame', async () => {
    const file = await film(page, 'MP4');
    expect(facts(file)).toBe(`h264,${WIDTH},${HEIGHT},30/1,${LAST + 1}`);
    const pictures = picturesOf(file);
    const background = backgroundOf(pictures);
    // Nearer to where it is at its frame than at those beside it: a frame is 2 pixels on.
    for (const [frame, picture] of pictures.entries())
      expect(Math.abs(markIn(picture, background) - expectedAt(frame)), `frame ${frame}`).toBeLessThan(NEAR);
  });

  await test.step('WebM at half the rate, GIF and pictures of a stretch', async () => {
    await type(panel.getByRole('spinbutton', { name: 'Pictures a second' }), '15');
    const webm = await film(page, 'WebM');
    expect(facts(webm)).toBe(`vp9,${WIDTH},${HEIGHT},15/1,${Math.floor(LAST / 2) + 1}`);
    const all = picturesOf(webm);
    const background = backgroundOf(all);
    for (const [k, picture] of all.entries())
      expect(Math.abs(markIn(picture, background) - expectedAt(2 * k)), `picture ${k}`).toBeLessThan(NEAR);
    await type(panel.getByRole('spinbutton', { name: 'First frame of the film' }), '40');
    await type(panel.getByRole('spinbutton', { name: 'Last frame of the film' }), '60');
    const gif = picturesOf(await film(page, 'GIF'));
    expect(gif.length).toBe(11);
    for (const [k, picture] of gif.entries())
      expect(Math.abs(markIn(picture, background) - expectedAt(40 + 2 * k))).toBeLessThan(NEAR);
    const files = unzipSync(readFileSync(await film(page, 'pictures')));
    expect(Object.keys(files)).toEqual(
      Array.from({ length: 11 }, (_, k) => `${String(k + 1).padStart(5, '0')}.png`),
    );
    for (const [name, bytes] of Object.entries(files)) writeFileSync(join(folder, name), bytes);
    for (const [k, picture] of picturesOf(join(folder, '%05d.png')).entries())
      expect(Math.abs(markIn(picture, background) - expectedAt(40 + 2 * k))).toBeLessThan(NEAR);
  });

  await test.step('two variants side by side: one stays where it was put, the other goes', async () => {
    await panel.getByRole('button', { name: 'still', exact: true }).click();
    await panel.getByRole('button', { name: 'whole', exact: true }).click();
    await panel.getByRole('button', { name: 'side by side' }).click();
    await type(panel.getByRole('spinbutton', { name: 'First frame of the film' }), '0');
    await type(panel.getByRole('spinbutton', { name: 'Last frame of the film' }), String(LAST));
    await type(panel.getByRole('spinbutton', { name: 'Pictures a second' }), '5');
    const pictures = picturesOf(await film(page, 'WebM'));
    expect(pictures.length).toBe(Math.floor(LAST / 6) + 1);
    const half = WIDTH / 2;
    const still = pictures.map((picture) => markIn(picture, pictures[0], [0, half]));
    expect(still.every((x) => Number.isNaN(x))).toBe(true);
    const background = backgroundOf(pictures);
    const [from, to] = [30, 60].map((frame) => markIn(pictures[frame / 6], background, [half, WIDTH]));
    expect(Math.abs(to - from - (expectedAt(60) - expectedAt(30)))).toBeLessThan(1);
  });

  await test.step('one that is cancelled writes nothing, and the next is made', async () => {
    let written = 0;
    page.on('download', () => written++);
    await panel.getByRole('button', { name: 'GIF', exact: true }).click();
    await page.getByRole('button', { name: 'Make the film' }).click();
    await panel.getByRole('button', { name: 'Cancel', exact: true }).click();
    await expect(page.getByText('The film was cancelled').first()).toBeVisible();
    await expect(panel.getByRole('progressbar')).toHaveCount(0);
    expect(written).toBe(0);
    await film(page, 'one picture');
    expect(written).toBe(1);
  });

  await test.step('references: a film steps with the playhead to the frame, and beside another film', async () => {
    await panel.getByRole('button', { name: 'still', exact: true }).click();
    await type(panel.getByRole('spinbutton', { name: 'Last frame of the film' }), '90');
    await type(panel.getByRole('spinbutton', { name: 'Pictures a second' }), '30');
    const own = await film(page, 'MP4');
    await page.getByRole('button', { name: 'Leave the film' }).click();
    await page.getByRole('button', { name: 'Compare before and after' }).click();
    const plate = join(folder, 'plate.png');
    const color = [
      '-v',
      'error',
      '-y',
      '-f',
      'lavfi',
      '-i',
      'color=0x902060:s=64x36',
      '-frames:v',
      '1',
      plate,
    ];
    execFileSync('ffmpeg', color);
    await page.locator('input[aria-label="Reference videos and pictures"]').setInputFiles([own, plate]);
    const video = page.locator('video');
    await expect.poll(() => video.evaluate((one: HTMLVideoElement) => one.readyState)).toBeGreaterThan(1);
    for (let frame = 1; frame <= 12; frame++) {
      await page.keyboard.press('ArrowRight');
      // Inside of the time of that very picture.
      const shown = () =>
        video.evaluate((one: HTMLVideoElement) => (one.seeking ? -1 : Math.floor(one.currentTime * 30)));
      await expect.poll(shown).toBe(frame);
    }
    // The other is no part of a film beside which references are: it lies behind the characters.
    await page.getByRole('combobox', { name: 'Where plate.png is seen' }).selectOption('plate of the camera');
    await page.keyboard.press('Home');
    await page.getByRole('button', { name: 'Make a film' }).click();
    await type(panel.getByRole('spinbutton', { name: 'Width of the picture in pixels' }), String(WIDTH));
    await type(panel.getByRole('spinbutton', { name: 'Height of the picture in pixels' }), String(HEIGHT));
    await panel.getByRole('combobox', { name: 'Which camera films' }).selectOption('Shot');
    await panel.getByRole('button', { name: 'frame', exact: true }).click();
    await type(panel.getByRole('spinbutton', { name: 'Last frame of the film' }), '90');
    const pictures = picturesOf(await film(page, 'MP4'));
    const background = backgroundOf(pictures);
    const half = WIDTH / 2;
    // Half as large and coded twice: one picture off would be a pixel off in all of them.
    const offs = pictures.map(
      (picture, frame) => markIn(picture, background, [0, half]) - expectedAt(frame) / 2,
    );
    expect(offs.length).toBe(91);
    expect(Math.abs(offs.reduce((sum, off) => sum + off, 0) / offs.length)).toBeLessThan(0.4);
    for (const [frame, off] of offs.entries())
      expect(Math.abs(off), `frame ${frame} of the reference`).toBeLessThan(1.2);
    const behind = execFileSync('ffmpeg', [
      ...['-v', 'error', '-i', await film(page, 'one picture'), '-vf', `crop=8:8:${half + 4}:86`],
      ...['-f', 'rawvideo', '-pix_fmt', 'rgb24', '-'],
    ]);
    for (const [c, value] of [0x90, 0x20, 0x60].entries())
      expect(Math.abs(behind[c] - value), 'the plate as it is').toBeLessThan(6);
    await page.getByRole('button', { name: 'Leave the film' }).click();
  });

  await test.step('references are there after a reload, and in the project file on wish', async () => {
    const rows = page.getByRole('group', { name: 'plate.png', exact: true });
    await rows.getByRole('button', { name: 'in the project file' }).click();
    const { bytes } = await downloadBy(page, () =>
      page.getByRole('button', { name: 'Export the project' }).click(),
    );
    const { references } = await readProject(bytes, 'mark.evlay');
    expect(references.map(({ name, place, kind }) => [name, place, kind])).toEqual([
      ['plate.png', 'plate', 'picture'],
    ]);
    expect(Buffer.from(references[0].bytes).equals(readFileSync(join(folder, 'plate.png')))).toBe(true);
    const stored = () =>
      page.evaluate(
        () =>
          new Promise<string[]>((resolve) => {
            const open = indexedDB.open('evlay');
            open.onsuccess = () => {
              const all = open.result.transaction('references').objectStore('references').getAll();
              all.onsuccess = () => {
                open.result.close();
                resolve(all.result.flat().map((one: { place: string }) => one.place));
              };
            };
          }),
      );
    await expect.poll(stored).toEqual(['box', 'plate']);
    await page.reload();
    await expect(page.getByRole('region', { name: /^Reference: / })).toBeVisible();
    await expect(page.locator('video')).toHaveCount(1);
    // Opened anew from the file it brings its plate along, and nothing else.
    writeFileSync(join(folder, 'again.evlay'), bytes);
    await openDropped(page, join(folder, 'again.evlay'));
    await page.getByRole('button', { name: 'Compare before and after' }).click();
    await expect(page.getByRole('group', { name: 'plate.png', exact: true })).toBeVisible();
    await expect(page.locator('video')).toHaveCount(0);
    await expectAccessible(page);
    await page.getByRole('button', { name: 'Take plate.png away' }).click();
    await expect.poll(stored).toEqual(['box', 'plate']);
  });

  await test.step('a delivery has all of it, and the view is as before', async () => {
    await page.getByRole('link', { name: 'Bake' }).click();
    const view = page.getByRole('region', { name: 'View', exact: true }).locator('canvas').first();
    const delivery = page.getByRole('region', { name: 'Delivery' });
    await delivery.getByRole('combobox', { name: 'What the film' }).selectOption('sheet of poses');
    await delivery.getByRole('combobox', { name: 'Size of the film' }).selectOption('640 × 360');
    await expect(delivery.getByRole('button', { name: 'Deliver' })).toBeEnabled();
    let before = await view.screenshot();
    await expect
      .poll(async () => {
        const last = before;
        before = await view.screenshot();
        return before.equals(last);
      })
      .toBe(true);
    const { bytes } = await downloadBy(page, () => delivery.getByRole('button', { name: 'Deliver' }).click());
    const names = Object.keys(unzipSync(bytes)).sort();
    expect(names).toEqual([
      'Lamp-lighting 2 bake.glb',
      'Lamp-lighting 2 film.png',
      'Lamp-lighting 2 findings.json',
      'manifest.json',
    ]);
    await expect(delivery.getByRole('status')).toContainText('downloaded as Lamp-lighting 2 delivery.zip');
    await expect.poll(async () => (await view.screenshot()).equals(before)).toBe(true);
  });
});
