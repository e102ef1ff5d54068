import { spawn } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readGlbTake, readKit, readLocker } from '@evlay/core/format';
import { expect, type Page, test } from '@playwright/test';
import { unzipSync } from 'fflate';
import {
  CAPTURE,
  downloadBy,
  drawLightly,
  dropFile,
  expectAccessible,
  expectSaved,
  exported,
  lane,
  openDemo,
  openDropped,
  tab,
  undo,
} from './app.js';

test.beforeEach(({ page }) => drawLightly(page));

/** Pieces of the capture as files. */
function pieces(count: number): { name: string; mimeType: string; buffer: Buffer }[] {
  const text = readFileSync(CAPTURE, 'utf8').split('\n');
  const at = text.findIndex((line) => line.startsWith('Frame Time'));
  const rows = text.slice(at + 1).filter((line) => line.trim() !== '');
  return Array.from({ length: count }, (_, k) => {
    const own = rows.slice(180 * k, 180 * k + 360);
    const head = text.slice(0, at + 1).with(at - 1, `Frames: ${own.length}`);
    return {
      name: `quay-${k + 1}.bvh`,
      mimeType: 'text/plain',
      buffer: Buffer.from([...head, ...own, ''].join('\n')),
    };
  });
}

/** Does a command of the palette by its name. */
async function byName(page: Page, name: string): Promise<void> {
  await expect(page.getByRole('list', { name: /^Layers, the topmost/ })).toBeVisible();
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox').last().fill(name);
  const entry = page.getByRole('option', { name }).first();
  await expect(entry).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(entry).toHaveCount(0);
}

test('a repair is made once: twelve captures come in, a kit goes on eleven, the worst is mended, all are baked', async ({
  page,
}) => {
  await openDemo(page);
  let actions = 0;
  const act = async (does: () => Promise<unknown>) => {
    actions++;
    await does();
  };
  await act(() => page.getByRole('link', { name: 'Takes' }).click());
  await act(() => page.getByLabel('Takes to bring in').setInputFiles(pieces(12)));
  await expect(page.getByRole('button', { name: /^Choose quay-12, fitted/ })).toBeVisible({
    timeout: 90_000,
  });
  await act(() => page.getByRole('link', { name: 'Layers' }).click());
  // A kit of three layers.
  await act(() => byName(page, 'Pick all layers above the base'));
  await act(() => byName(page, 'Make a kit of the picked layers'));
  const making = page.getByRole('region', { name: 'Make a kit' });
  await expect(making.getByRole('listitem')).toHaveCount(3);
  await expect(making.getByText(/hangs on rightLeg down at/).first()).toBeVisible();
  await act(() => making.getByRole('combobox', { name: /“Weary lean” hangs/ }).selectOption('stretched'));
  const file = await downloadBy(page, () =>
    making.getByRole('button', { name: 'Save the kit as a file' }).click(),
  );
  const kit = await readKit(file.name, file.bytes);
  expect(kit.layers.map(({ layer, fit }) => [layer.name, fit])).toEqual([
    ['Weary lean', 'stretch'],
    ['Lantern arm', 'events'],
    ['Glance at the gulls', 'events'],
  ]);
  await act(() => making.getByRole('button', { name: 'Put it in the locker' }).click());
  await expect(page.getByRole('button', { name: 'Put on Lamp-lighting kit' })).toBeVisible();
  // On eleven takes at once.
  await act(() => page.getByRole('link', { name: 'Takes' }).click());
  const boxes = page.getByRole('checkbox', { name: /^Pick quay-\d+, fitted/ });
  await act(() => boxes.nth(0).check());
  await act(() => boxes.nth(10).click({ modifiers: ['Shift'] }));
  await act(() =>
    page.getByLabel('Put a kit on the picked takes').selectOption({ label: 'Lamp-lighting kit' }),
  );
  await expect(page).toHaveURL(/\/sheet$/);
  const cards = page.getByRole('list', { name: 'Takes of the sheet' }).getByRole('listitem');
  await expect(cards).toHaveCount(11);
  await expect(page.getByRole('list', { name: 'Takes of the sheet' }).getByText('before')).toHaveCount(11, {
    timeout: 90_000,
  });
  await expect(page.getByRole('progressbar')).toHaveCount(0);
  await expectAccessible(page);
  // The worst stands first: it is opened, mended, and looked at anew.
  const name = await cards.first().getByRole('checkbox').getAttribute('aria-label');
  const worst = name!.replace('Pick ', '');
  await act(() =>
    cards
      .first()
      .getByRole('button', { name: `Open ${worst} and go on by hand` })
      .click(),
  );
  await expect(page.getByRole('link', { name: 'Back to the sheet' })).toBeVisible();
  await expect(lane(page, 'Lantern arm')).toBeVisible();
  await act(() => lane(page, 'Lantern arm').getByRole('button', { name: /^Mute/ }).click());
  await expectSaved(page);
  await act(() => page.getByRole('link', { name: 'Back to the sheet' }).click());
  await expect(page.getByText('own project')).toBeVisible();
  const zip = await downloadBy(page, () => act(() => page.getByRole('button', { name: 'Bake all' }).click()));
  expect(actions).toBeLessThan(20);
  const entries = unzipSync(zip.bytes);
  const manifest = JSON.parse(new TextDecoder().decode(entries['manifest.json']));
  expect(manifest).toMatchObject({ format: 'evlay-manifest', kit: 'Lamp-lighting kit' });
  expect(manifest.takes).toHaveLength(11);
  for (const { file: baked, frames, take, changedByHand } of manifest.takes) {
    expect(readGlbTake(baked, entries[baked], undefined).take.count).toBe(frames);
    expect(changedByHand).toBe(take === worst);
  }
  // All of it is there after a reload; what was opened is a project of its own.
  await page.reload();
  await expect(cards).toHaveCount(11);
  await page.getByRole('button', { name: /^with events alone/ }).click();
  await page.goto('/');
  await expect(
    page
      .getByRole('link', { name: new RegExp(worst) })
      .or(page.getByText(worst))
      .first(),
  ).toBeVisible();
});

test('a kit is shown before it is put on, goes on and comes off in one step, and lives in the locker', async ({
  page,
}) => {
  await openDemo(page);
  const before = await exported(page);
  await byName(page, 'Pick all layers above the base');
  await byName(page, 'Make a kit of the picked layers');
  const making = page.getByRole('region', { name: 'Make a kit' });
  await making.getByRole('textbox', { name: 'Name of the kit' }).fill('Evening');
  const file = await downloadBy(page, () =>
    making.getByRole('button', { name: 'Save the kit as a file' }).click(),
  );
  // An event that was found at another frame than it is is put there, by hand.
  const found = (await readKit(file.name, file.bytes)).events.find(({ name }) => name === 'leftLeg down')!;
  const said = (frame: number) => `leftLeg down at ${Number(frame.toFixed(1))}`;
  await making.getByRole('button', { name: said(found.frame), exact: true }).press('ArrowRight');
  await expect(making.getByRole('button', { name: said(found.frame + 1), exact: true })).toBeFocused();
  const corrected = await downloadBy(page, () =>
    making.getByRole('button', { name: 'Save the kit as a file' }).click(),
  );
  expect((await readKit(corrected.name, corrected.bytes)).events).toContainEqual({
    name: 'leftLeg down',
    frame: found.frame + 1,
  });
  await making.getByRole('button', { name: 'events as they were found' }).click();
  await expect(making.getByRole('button', { name: said(found.frame), exact: true })).toBeVisible();
  await making.getByRole('button', { name: 'Leave the kit' }).click();
  await expect(making).toHaveCount(0);
  // A file that is dropped is shown on what plays here: on its own take every event meets its own.
  await dropFile(page, file.name, file.bytes);
  const putting = page.getByRole('region', { name: 'Put a kit on the stack' });
  await expect(putting.getByText('Everything finds its place.')).toBeVisible();
  await expect(putting.getByRole('group', { name: /events of the kit meet one of the take$/ })).toBeVisible();
  await expectAccessible(page);
  await putting.getByRole('button', { name: 'Put it on' }).click();
  await expect(putting).toHaveCount(0);
  await expect.poll(async () => (await exported(page)).layers.length).toBe(before.layers.length + 3);
  await undo(page).click();
  await expect.poll(async () => (await exported(page)).layers.length).toBe(before.layers.length);
  // Layers are kept, found, tagged, dragged onto a lane, taken out and put back.
  await byName(page, 'Pick all layers above the base');
  await byName(page, 'Keep the picked layers in the locker');
  const locker = page.getByRole('region', { name: 'Locker' });
  const things = locker.getByRole('list', { name: 'Things in the locker' }).getByRole('listitem');
  await expect(things).toHaveCount(3);
  await locker.getByRole('button', { name: 'Name and tags of Lantern arm' }).click();
  await locker.getByRole('textbox', { name: /Tags of Lantern arm/ }).fill('harbour, arm');
  await page.keyboard.press('Enter');
  await locker.getByRole('button', { name: 'Done with Lantern arm' }).click();
  await locker.getByRole('searchbox', { name: 'Find in the locker' }).fill('harbour');
  await expect(things).toHaveCount(1);
  await expectAccessible(page);
  await locker.getByRole('button', { name: 'Put on Lantern arm' }).dragTo(lane(page, 'Weary lean'));
  await expect
    .poll(async () => (await exported(page)).layers.map(({ name }) => name))
    .toEqual(['Walk', 'Weary lean', 'Lantern arm 2', 'Lantern arm', 'Glance at the gulls']);
  await locker.getByRole('button', { name: 'Take Lantern arm out' }).click();
  await expect(things).toHaveCount(0);
  await page.getByRole('button', { name: 'Put it back' }).click();
  await expect(things).toHaveCount(1);
  const saved = await downloadBy(page, () =>
    locker.getByRole('button', { name: 'Save the locker as a file' }).click(),
  );
  expect(readLocker(saved.name, saved.bytes).map(({ kind, name }) => [kind, name])).toEqual([
    ['layer', 'Weary lean'],
    ['layer', 'Lantern arm'],
    ['layer', 'Glance at the gulls'],
  ]);
  // It is there in another project and after a reload; a broken file says what is wrong and loses nothing.
  await openDropped(page, CAPTURE);
  await page.keyboard.press('Shift+L');
  await expect(things).toHaveCount(3);
  await dropFile(page, 'bad.evlay-kit', new TextEncoder().encode('{"format": "evlay-kit"}'));
  await expect(page.getByText(/bad\.evlay-kit: version: expected version 1/)).toBeVisible();
  await dropFile(page, saved.name, saved.bytes);
  await expect(things).toHaveCount(6);
  await locker.getByRole('button', { name: 'Put on Weary lean' }).first().click();
  await tab(page, 'Layer');
  await expect(lane(page, 'Weary lean')).toBeVisible();
});

test('a capture stage is listened to: the character moves as it is captured, and what is recorded is a take with its doubts', async ({
  page,
}) => {
  const port = 20_000 + (process.pid % 20_000);
  const command = join(import.meta.dirname, '../apps/cli/bin/evlay.mjs');
  const stage = spawn(process.execPath, [
    command,
    'stage',
    CAPTURE,
    '--stream',
    `${port}`,
    '--lose',
    '6',
    '--weak',
    '6',
  ]);
  try {
    await new Promise((ready) => stage.stderr.once('data', ready));
    await openDemo(page);
    await page.getByRole('link', { name: 'Takes' }).click();
    await page.getByRole('button', { name: 'Listen to a capture stage' }).click();
    const heard = page.getByRole('region', { name: 'Capture stage' });
    await heard.getByRole('textbox', { name: 'Address of the stage' }).fill('ws://localhost:1');
    await heard.getByRole('button', { name: 'Listen', exact: true }).click();
    await expect(heard.getByRole('status')).toHaveText('No stage answers at ws://localhost:1.');
    await heard.getByRole('textbox', { name: 'Address of the stage' }).fill(`ws://localhost:${port}`);
    await heard.getByRole('button', { name: 'Listen', exact: true }).click();
    await heard.getByRole('button', { name: 'Record' }).click();
    await expect(heard.getByRole('status')).toHaveText(/recording: \d{3,} samples, \d+ lost, \d+ weak/);
    await expectAccessible(page);
    await heard.getByRole('button', { name: 'Stop and keep it' }).click();
    await expect(page.getByRole('button', { name: /^Choose 01_01, fitted/ })).toBeVisible();
    await expect(page.getByText('lost samples')).toBeVisible();
    const project = await exported(page);
    const take = project.takes.find(({ name }) => name === '01_01')!;
    expect(take.count).toBeGreaterThan(100);
    const count = (what: string) =>
      take
        .doubts!.filter((doubt) => doubt.what === what)
        .reduce((sum, { from, to }) => sum + to - from + 1, 0);
    // The stage loses and weakens about six of a hundred.
    expect(count('lost') / take.count).toBeGreaterThan(0.02);
    expect(count('lost') / take.count).toBeLessThan(0.12);
    expect(count('weak')).toBeGreaterThan(0);
  } finally {
    stage.kill('SIGINT');
  }
});
