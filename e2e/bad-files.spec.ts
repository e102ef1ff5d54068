import { readFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { CAPTURE, drawLightly, dropFile, expectSaved, lane, openDemo } from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

const text = readFileSync(CAPTURE, 'utf8');
const head = text.slice(0, text.indexOf('MOTION'));
const rows = text.slice(text.indexOf('MOTION')).split('\n').slice(0, 12);
const bvh = (lines: readonly string[], hierarchy = head) => hierarchy + lines.join('\n');

const BAD: readonly [what: string, name: string, content: string | Uint8Array, says: RegExp][] = [
  ['a picture', 'wick.png', new Uint8Array([137, 80, 78, 71]), /wick\.png: .*\.bvh.*\.evlay/],
  [
    'a motion that is a picture',
    'walk.bvh',
    new Uint8Array([137, 80, 78, 71, 0, 0, 13]),
    /walk\.bvh: .*binary/,
  ],
  ['a motion that is a text', 'walk.bvh', 'Dear Wick, ...', /walk\.bvh: line 1: .*HIERARCHY/],
  ['an empty file', 'walk.bvh', '', /walk\.bvh: the file is empty/],
  [
    'a motion cut off in a row',
    'walk.bvh',
    bvh(rows).slice(0, -40),
    /walk\.bvh: line 196: \d+ values, expected 96/,
  ],
  ['a motion cut off in the skeleton', 'walk.bvh', head.slice(0, 600), /walk\.bvh: line \d+: .*expected/],
  ['a number that is none', 'walk.bvh', bvh(rows).replace('9.3722', 'NaN'), /line 188: "NaN".*finite/],
  [
    'two joints of one name',
    'walk.bvh',
    bvh(rows, head.replace('JOINT RightLeg', 'JOINT LeftLeg')),
    /line \d+: two joints are named "LeftLeg"/,
  ],
  ['a project that is none', 'evening.evlay', 'PK but no zip', /evening\.evlay: this is not a project/],
];

test('a bad file says what and where, and what was open stays', async ({ page }) => {
  await openDemo(page);
  await page.getByRole('button', { name: 'Mute Weary lean' }).click();
  for (const [what, name, content, says] of BAD) {
    await test.step(what, async () => {
      await dropFile(page, name, typeof content === 'string' ? new TextEncoder().encode(content) : content);
      const notice = page.getByRole('region', { name: 'Notices' }).getByText(says);
      await expect(notice).toBeVisible();
      await page.getByRole('button', { name: 'Close the notice' }).first().click();
      await expect(notice).toBeHidden();
    });
  }
  await expect(page.getByLabel('Name of the project')).toHaveValue('Lamp-lighting');
  await expect(page.getByRole('button', { name: 'Mute Weary lean' })).toHaveAttribute('aria-pressed', 'true');
  await expectSaved(page);
});

test('a header that says another number of frames is a warning that names both', async ({ page }) => {
  await page.goto('/');
  await expect(page.getByRole('heading', { name: 'Projects' })).toBeVisible();
  await dropFile(page, 'short.bvh', new TextEncoder().encode(bvh(rows)));
  await expect(page.getByText(/header says 2752 frames, the file has 9 rows/)).toBeVisible();
  await expect(lane(page, 'Base')).toBeVisible();
});
