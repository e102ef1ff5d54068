import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { compileStack, evaluateStack, type Note, restPose, withVariant } from '@evlay/core';
import { readNotes, readProject, writeProject } from '@evlay/core/format';
import { rigHeight } from '@evlay/core/rig';
import { expect, test } from '@playwright/test';
import {
  downloadBy,
  dropFile,
  expectAccessible,
  expectSaved,
  exported,
  goToFrame,
  openDropped,
  positionsAt,
} from './app.js';

const DEMO = 'apps/web/public/demo/lamp-lighting.evlay';

test('a review goes out as one page, plays without a network, and comes back as notes, drawings and a variant', async ({
  page,
  browser,
}) => {
  const { project: demo } = await readProject(readFileSync(DEMO), 'lamp-lighting.evlay');
  const [, lean] = demo.layers;
  const project = {
    ...demo,
    variants: [
      { name: 'calm', layers: { [lean.id]: { weight: 0.2 } } },
      { name: 'heavy', layers: { [lean.id]: { weight: 1.6 } } },
    ],
  };
  const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
  writeFileSync(join(folder, 'walk.evlay'), writeProject(project));
  await openDropped(page, join(folder, 'walk.evlay'));
  const file = join(folder, 'review.html');

  await test.step('it is made of the variants and a layer to turn, and is small', async () => {
    await page.getByRole('button', { name: 'Show the notes' }).click();
    await expectAccessible(page);
    await page.getByRole('button', { name: 'review file …' }).click();
    const panel = page.getByRole('region', { name: 'Review file' });
    await panel.getByRole('button', { name: /Weary lean/ }).click();
    await expectAccessible(page);
    const { name, bytes } = await downloadBy(page, () =>
      panel.getByRole('button', { name: 'Save the review file' }).click(),
    );
    expect(name).toMatch(/\.html$/);
    const figure = project.scene.characters[0].figure!.bytes.length;
    expect(bytes.length).toBeLessThan(3e6 + figure);
    writeFileSync(file, bytes);
  });

  const back = join(folder, 'back.evlay-notes');
  let notes: readonly Note[] = [];
  await test.step('it plays from the disk in another profile with the network off; a note is drawn and a layer turned', async () => {
    const context = await browser.newContext({
      offline: true,
      acceptDownloads: true,
      viewport: { width: 1000, height: 640 },
    });
    const review = await context.newPage();
    const wrong: string[] = [];
    review.on('pageerror', (error) => wrong.push(error.message));
    review.on('request', (request) => {
      if (!/^(file|data|blob):/.test(request.url())) wrong.push(request.url());
    });
    await review.goto(pathToFileURL(file).href);
    await expect(review.getByRole('heading', { name: project.name })).toBeVisible();
    const frame = review.getByLabel('Frame', { exact: true });
    // Keys are the page's as soon as it is there.
    await review.keyboard.press('ArrowRight');
    await expect(frame).toHaveText('0001');
    await review.keyboard.press(' ');
    await expect(frame).not.toHaveText('0001');
    await review.keyboard.press(' ');
    await expect(review.getByRole('button', { name: 'Play' })).toBeVisible();
    await expectAccessible(review);
    await review.getByRole('slider', { name: 'Frame that is seen' }).fill('62');
    await expect(frame).toHaveText('0062');
    await review.getByRole('combobox', { name: 'Variant' }).selectOption('heavy');
    await review.getByRole('button', { name: 'side by side' }).click();
    await review.getByRole('combobox', { name: 'The other variant' }).selectOption('calm');
    await review.getByRole('button', { name: 'draw', exact: true }).click();
    const paper = (await review.locator('.paper').boundingBox())!;
    const drawn = Array.from({ length: 9 }, (_, k) => [120 + 20 * k, 200 - 6 * k] as const);
    await review.mouse.move(paper.x + drawn[0][0], paper.y + drawn[0][1]);
    await review.mouse.down();
    for (const [x, y] of drawn.slice(1)) await review.mouse.move(paper.x + x, paper.y + y);
    await review.mouse.up();
    await review.getByRole('textbox', { name: 'What you say about this frame' }).fill('A little less');
    await review.getByRole('button', { name: 'speak' }).click();
    await review.getByRole('button', { name: 'stop recording' }).click();
    await expect(review.getByText('What you said goes with the note.')).toBeVisible();
    await review.getByRole('button', { name: 'Add the note' }).click();
    await expect(review.locator('audio')).toHaveCount(1);
    await review.getByRole('slider', { name: 'Weary lean' }).fill('0.6');
    await review.getByRole('textbox', { name: 'Your name' }).fill('Ada');
    // Everything is there after the page is opened anew.
    await review.reload();
    await expect(review.getByRole('button', { name: /62 A little less/ })).toBeVisible();
    await expect(review.getByRole('slider', { name: 'Weary lean' })).toHaveValue('0.6');
    const [download] = await Promise.all([
      review.waitForEvent('download'),
      review.getByRole('button', { name: 'Send back' }).click(),
    ]);
    await download.saveAs(back);
    expect(wrong).toEqual([]);
    await context.close();
    const sent = readNotes('back.evlay-notes', readFileSync(back));
    notes = sent.notes;
    expect(sent.weights).toEqual({ [lean.id]: 0.6 });
    expect(notes[0].voice?.type).toMatch(/^audio\//);
    const [{ points }] = notes[0].strokes;
    // To half a pixel where it was drawn.
    for (const [x, y] of drawn)
      expect(
        Math.min(
          ...points.map(([px, py]) =>
            Math.hypot(paper.width / 4 + px * paper.height - x, paper.height / 2 + py * paper.height - y),
          ),
        ),
      ).toBeLessThan(0.5);
  });

  await test.step('dropped on the project it is a mark, a drawing over the view, and a variant of Ada', async () => {
    await dropFile(page, 'back.evlay-notes', readFileSync(back));
    const panel = page.getByRole('region', { name: 'Notes', exact: true });
    await expect(panel.getByText('A little less')).toBeVisible();
    await expect(panel.locator('audio')).toHaveJSProperty('error', null);
    await expect(page.getByRole('button', { name: 'Note of Ada at frame 62' })).toBeVisible();
    await panel.getByRole('button', { name: /^Go to the note at 62/ }).click();
    await expect(page.locator('canvas[data-notes]')).toBeVisible();
    const ink = () =>
      page.locator('canvas[data-notes]').evaluate((canvas: HTMLCanvasElement) => {
        const { data } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height);
        return data.filter((value, k) => k % 4 === 3 && value > 0).length;
      });
    await expect.poll(ink).toBeGreaterThan(50);
    const answer = panel.getByRole('textbox', { name: 'Answer to the note at 62' });
    await answer.fill('Done on Monday');
    await answer.press('Enter');
    await panel.getByRole('button', { name: 'The note at 62 is done' }).click();
    await expect(panel.getByText('All are done.')).toBeVisible();
    await expect.poll(ink).toBe(0);
    await expectSaved(page);
    const now = await exported(page);
    expect(now.notes.map(({ frame, by, answer: said, done }) => [frame, by, said, done])).toEqual([
      [62, 'Ada', 'Done on Monday', true],
    ]);
    expect(now.notes[0].strokes).toEqual(notes[0].strokes);
    expect(now.variants.find(({ name }) => name === 'of Ada')?.layers[lean.id]).toEqual({ weight: 0.6 });
  });

  await test.step('what is shown of it is what the page showed, and a file that comes twice changes nothing', async () => {
    const now = await exported(page);
    const dialled = withVariant(now, 'of Ada');
    const pose = restPose(now.rig);
    const seen = positionsAt(dialled, 62);
    const turned = {
      ...project,
      layers: project.layers.map((one) => (one.id === lean.id ? { ...one, weight: 0.6 } : one)),
    };
    evaluateStack(compileStack(turned), 62, pose);
    const page62 = positionsAt(turned, 62);
    for (const [joint, place] of seen)
      expect(Math.hypot(...place.map((value, axis) => value - page62.get(joint)![axis]))).toBeLessThan(
        1e-5 * rigHeight(now.rig),
      );
    await dropFile(page, 'back.evlay-notes', readFileSync(back));
    await goToFrame(page, 10);
    const again = await exported(page);
    expect(again.notes.length).toBe(1);
    expect(again.notes[0].done).toBe(true);
    expect(again.variants.length).toBe(3);
  });

  await test.step('a file of a later Evlay, and one that is none, say so', async () => {
    const later = { ...JSON.parse(readFileSync(back, 'utf8')), version: 7 };
    await dropFile(page, 'later.evlay-notes', Buffer.from(JSON.stringify(later)));
    await expect(page.getByText(/version 7, which a later Evlay wrote/).first()).toBeVisible();
    await dropFile(page, 'bad.evlay-notes', Buffer.from('{"format": 3}'));
    await expect(page.getByText(/bad\.evlay-notes/).first()).toBeVisible();
    expect((await exported(page)).notes.length).toBe(1);
  });
});
