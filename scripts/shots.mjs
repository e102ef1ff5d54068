import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { chromium } from '@playwright/test';
import { build } from './build.mjs';
import { CHROMIUM, CHROMIUM_PACKAGE } from './chromium.mjs';
import { installDebian, installPackages, must, ROOT, startServer } from './run.mjs';

/** Takes every picture in docs/screenshots/ from the demos and from the demo's capture as a plain motion. */
installDebian([CHROMIUM_PACKAGE]);
installPackages();
build();

const PORT = 4198;
const server = await startServer(PORT);
const browser = await chromium.launch(CHROMIUM);
const page = await browser.newPage({
  viewport: { width: 1280, height: 800 },
  acceptDownloads: true,
  colorScheme: 'dark',
});
// Pictures show what a machine with a graphics card shows.
await page.addInitScript(() =>
  localStorage.setItem('evlay.preferences', JSON.stringify({ state: { lightWhenSlow: false }, version: 0 })),
);
const shoot = async (name) => {
  // Two frames let the view, which draws on demand, show what was asked for.
  await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
  await page.waitForTimeout(1500);
  await page.screenshot({ path: join(ROOT, 'docs', 'screenshots', `${name}.png`) });
  console.log(`docs/screenshots/${name}.png`);
};
const goToFrame = async (frame) => {
  await page.keyboard.press('Home');
  for (let k = 0; k < Math.floor(frame / 10); k++) await page.keyboard.press('Shift+ArrowRight');
  for (let k = 0; k < frame % 10; k++) await page.keyboard.press('ArrowRight');
};
const home = `http://127.0.0.1:${PORT}/`;

/** Drags the handles of the picked joint. */
const drag = async (joint, dx, dy, kept = true) => {
  await page.waitForTimeout(800);
  const { x, y } = await page.locator(`[data-joint="${joint}"]`).boundingBox();
  await page.mouse.move(x + 1, y + 1);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + dx, y + dy, { steps: 8 });
  if (kept) await page.mouse.up();
};

/** Picks a joint by its name. */
const pickJoint = async (name) => {
  await page.getByRole('tab', { name: 'Joint' }).click();
  await page.getByRole('combobox', { name: 'Find a joint by name' }).fill(name);
  await page
    .getByRole('listbox', { name: 'Joints found' })
    .getByRole('option', { name, exact: true })
    .click();
};

const undoAll = async () => {
  for (const undo = page.getByRole('button', { name: 'Undo' }); await undo.isEnabled(); ) await undo.click();
  await page.getByText('saved ✓').waitFor();
};

/** A picture of targets, props and contacts that hold, on the demo of the hook; it is left as it was. */
async function grounding() {
  await page.getByRole('link', { name: 'evlay' }).click();
  await page.getByRole('heading', { name: 'Projects' }).waitFor();
  await page.getByRole('button', { name: 'Open the lantern on its hook' }).click();
  await page.waitForURL(/\/p\//);
  await page.getByRole('slider', { name: /^head/ }).waitFor();
  await page.waitForTimeout(2500);
  await goToFrame(60);
  await page.getByRole('button', { name: /Contacts\s*override$/ }).click();
  await page.getByRole('tab', { name: 'Layer' }).click();
  await shoot('grounded');
  await page.getByText('saved ✓').waitFor();
}

/** A picture of findings with what they come from, and of the headroom of a layer, on Brindle without her contacts, in the light theme. */
async function findings() {
  await page.getByRole('button', { name: 'Mute Contacts' }).click();
  await page.getByRole('button', { name: /Sniff the ropes\s*additive$/ }).click();
  await page.getByRole('tab', { name: 'Layer' }).click();
  await page.getByRole('button', { name: /^Show its headroom/ }).click();
  await page.getByRole('button', { name: 'stay under it' }).waitFor();
  await page.getByRole('tab', { name: 'Findings' }).click();
  const list = page.getByRole('list', { name: 'What was found' });
  await list
    .getByRole('button', { name: /slides/ })
    .first()
    .click();
  await list.getByRole('button', { name: 'Keep contacts' }).waitFor();
  await page.getByRole('button', { name: 'Light theme' }).click();
  await shoot('findings');
  await page.getByRole('button', { name: 'Dark theme' }).click();
  await page.getByRole('button', { name: 'hide headroom' }).click();
  await undoAll();
}

/** Pictures of timing, on the demo: what is done for them is undone again. */
async function timing() {
  await page.getByRole('tab', { name: 'Layer' }).click();
  await page.getByRole('button', { name: /Lantern arm\s*override$/ }).click();
  await pickJoint('RightForearm');
  await page.getByRole('tab', { name: 'Layer' }).click();
  await goToFrame(46);
  await page.keyboard.press('c');
  const graph = await page.locator('[data-graph]').boundingBox();
  await page.mouse.move(graph.x + graph.width * 0.42, graph.y + 6);
  await page.mouse.down();
  await page.mouse.move(graph.x + graph.width * 0.55, graph.y + graph.height - 6, { steps: 5 });
  await page.mouse.up();
  await page.getByRole('group', { name: 'Shape of curves' }).getByRole('button', { name: 'gentle' }).click();
  await shoot('curves');
  await page.keyboard.press('c');
  await page.keyboard.press('Escape');

  await undoAll();
}

/** Pictures of a crossing and of what is compared, on the demo of the dog: what is done for them is undone again. */
async function blending() {
  await page.getByRole('button', { name: /^Blending/ }).click();
  await page.getByRole('button', { name: 'Find crossings of two performances' }).click();
  const crossings = page.getByRole('list', { name: 'Best crossings' }).getByRole('button');
  await crossings.first().waitFor();
  await page.getByRole('button', { name: 'near here' }).click();
  await page.waitForTimeout(500);
  await crossings.first().click();
  await shoot('crossing');
  await page.getByRole('button', { name: 'Leave the crossings' }).click();
  for (let k = 0; k < 2; k++) await page.getByRole('button', { name: 'Keep as variant' }).click();
  await page.getByRole('button', { name: 'Mute Sniff the ropes' }).click();
  await goToFrame(44);
  await page.getByRole('button', { name: 'Compare before and after' }).click();
  const compare = page.getByRole('region', { name: 'Compare' });
  await compare.getByRole('button', { name: 'A variant as what was before' }).click();
  await page.getByRole('menuitem', { name: 'Variant 1' }).click();
  await compare.getByRole('button', { name: 'second view' }).click();
  await compare.getByRole('button', { name: 'divide' }).click();
  const ghosts = compare.getByRole('spinbutton', { name: 'Ghosts so many frames before and after' });
  await ghosts.press('Enter');
  await page.keyboard.type('8');
  await page.keyboard.press('Enter');
  await compare.getByRole('button', { name: 'Close the choices' }).click();
  await shoot('compare');
  await page.getByRole('button', { name: 'Compare before and after' }).click();
  await compare.getByRole('button', { name: 'none of it' }).click();
  await undoAll();
}

/** Does a command of the palette by its name. */
const byName = async (name) => {
  await page.keyboard.press('Control+k');
  const palette = page.getByRole('combobox', { name: 'All commands' });
  await palette.fill(name);
  await page.getByRole('option', { name }).first().waitFor();
  await page.keyboard.press('Enter');
  await palette.waitFor({ state: 'hidden' });
};

/** Pictures of many takes, of a kit that is put on one, and of the sheet of all. */
async function repeating() {
  const suit = await (await fetch(`${home}demo/suit-walk.bvh`)).text();
  const [head, rest] = suit.split(/Frame Time:[^\n]*\n/);
  const [time] = /Frame Time:[^\n]*/.exec(suit);
  const rows = rest.trim().split('\n');
  const files = Array.from({ length: 8 }, (_, k) => {
    const own = rows.slice(5 * k, 5 * k + 60 + 3 * k);
    const text = `${head.replace(/Frames:\s*\d+/, `Frames: ${own.length}`)}${time}\n${own.join('\n')}\n`;
    return { name: `quay-${k + 1}.bvh`, mimeType: 'text/plain', buffer: Buffer.from(text) };
  });
  await page.getByRole('link', { name: 'Takes' }).click();
  await page.getByLabel('Takes to bring in').setInputFiles(files);
  await page.getByRole('button', { name: 'Choose quay-8, fitted, made of quay-8' }).waitFor();
  await page.getByRole('link', { name: 'Layers' }).click();
  await page.getByRole('list', { name: /^Layers, the topmost/ }).waitFor();
  await byName('Pick all layers above the base');
  await byName('Make a kit of the picked layers');
  await page.getByRole('textbox', { name: 'Name of the kit' }).fill('Evening walk');
  await page.getByRole('button', { name: 'Put it in the locker' }).click();
  await byName('Keep the picked layers in the locker');
  await page.getByRole('button', { name: 'Put on Weary lean' }).waitFor();
  await page.getByRole('link', { name: 'Takes' }).click();
  await page.getByRole('button', { name: 'Choose quay-3, fitted, made of quay-3' }).click();
  await page.getByRole('button', { name: 'Set as base' }).click();
  await page.getByRole('link', { name: 'Layers' }).click();
  await page.getByRole('button', { name: 'Put on Evening walk' }).click();
  await page.getByRole('region', { name: 'Put a kit on the stack' }).waitFor();
  await goToFrame(40);
  await shoot('kit');
  await page.getByRole('button', { name: 'Leave the kit' }).click();
  await page.getByRole('button', { name: 'Close the locker' }).click();
  await page.getByTitle(/^Undo \(/).click();
  await page.getByRole('link', { name: 'Takes' }).click();
  const boxes = page.getByRole('checkbox', { name: /^Pick quay-\d+, fitted/ });
  await page.getByRole('button', { name: 'Choose quay-3, fitted, made of quay-3' }).click();
  await goToFrame(33);
  for (let k = 0; k < 8; k++) await boxes.nth(k).check();
  await shoot('takes');
  await page.getByLabel('Put a kit on the picked takes').selectOption({ label: 'Evening walk' });
  await page.getByRole('list', { name: 'Takes of the sheet' }).waitFor();
  await page.getByText('Putting the kit on').waitFor({ state: 'hidden' });
  await page
    .getByRole('img', { name: /^Poses of/ })
    .first()
    .hover();
  await shoot('sheet');
  await page.getByRole('link', { name: 'Takes' }).click();
  await page.getByTitle(/^Undo \(/).click();
  await page.getByText('saved ✓').waitFor();
}

/** Pictures of posing by hand, on the demo: what is done for them is undone again. */
async function posing() {
  await page.getByRole('button', { name: 'Close the lane of Lantern arm' }).click();
  await page.getByRole('button', { name: /Glance at the gulls\s*additive$/ }).click();
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await goToFrame(62);
  await page.getByRole('slider', { name: /^left hand/ }).press('Enter');
  await page.getByRole('button', { name: 'Move joints' }).click();
  await page.getByRole('tab', { name: 'Joint' }).click();
  await drag('LeftHand', 44, -92);
  await page.getByRole('button', { name: 'Throughout' }).click();
  await drag('LeftHand', 10, -12, false);
  await shoot('posing');
  await page.mouse.up();
  await page.keyboard.press('Escape');
  await undoAll();
}

/** Sets a number of the page. */
const setNumber = async (name, value) => {
  const number = page.getByRole('spinbutton', { name, exact: true });
  await number.press('Enter');
  await page.keyboard.type(String(value));
  await page.keyboard.press('Enter');
  await number.blur();
};

/** A picture of a cart on a path, seen through a camera of the scene, in the ratio of a film. */
async function cart() {
  await page.keyboard.press('Escape');
  await page.getByRole('tab', { name: 'Joint' }).click();
  await page.getByRole('button', { name: '+ box' }).click();
  await page.getByRole('textbox', { name: 'Name of the prop' }).fill('Cart');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Go along a path' }).click();
  await page.getByRole('tab', { name: 'Layer' }).click();
  await page.getByRole('button', { name: 'Add a point to the path of Cart' }).click();
  await page.keyboard.press('v');
  await page.getByRole('button', { name: 'Frame the character' }).click();
  await page.mouse.move(480, 260);
  for (let k = 0; k < 9; k++) await page.mouse.wheel(0, 120);
  await page.mouse.move(760, 130);
  await page.mouse.down();
  await page.mouse.move(920, 150, { steps: 8 });
  await page.mouse.up();
  await page.waitForTimeout(500);
  await page.keyboard.press('Escape');
  await page.getByRole('tab', { name: 'Joint' }).click();
  await page.getByRole('button', { name: '+ camera' }).click();
  await page.getByRole('button', { name: 'look through' }).click();
  await page.getByRole('combobox', { name: 'Ratio of the picture' }).selectOption({ label: '2.39 : 1' });
  await page.getByRole('tab', { name: 'Layer' }).click();
  await goToFrame(46);
  await shoot('path');
  await page.getByRole('button', { name: 'Leave the camera' }).click();
}

/** A picture of a scene of two, on the demo: Brindle comes in, and Wick reaches for her head. It is left as it was. */
async function scene() {
  const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
  const file = join(folder, 'Brindle.glb');
  const run = join(ROOT, 'apps/web/dist/demo/quay-run.evlay');
  must('node', [join(ROOT, 'apps/cli/bin/evlay.mjs'), 'bake', run, '--out', file]);
  await page.getByRole('tab', { name: 'Joint' }).click();
  await page.locator('input[aria-label="Add a character from a file"]').setInputFiles(file);
  const chips = page.getByRole('group', { name: 'Characters' }).getByRole('button');
  await chips.nth(1).click();
  rmSync(folder, { recursive: true });
  await goToFrame(46);
  await setNumber('Brindle, x', 0.5);
  await setNumber('Brindle, z', -0.3);
  await setNumber('Brindle, size', 1.5);
  await page.getByRole('button', { name: /Glance at the gulls\s*additive$/ }).click();
  await pickJoint('LeftHand');
  await page.getByRole('combobox', { name: 'Stay on a prop or joint' }).selectOption('Brindle/Head');
  await page.getByRole('tab', { name: 'Layer' }).click();
  await setNumber('place of the target of LeftHand, tx', 0);
  await setNumber('place of the target of LeftHand, ty', 0.24);
  await setNumber('place of the target of LeftHand, tz', -0.03);
  await page.keyboard.press('v');
  await shoot('scene');
  await page.keyboard.press('Escape');
  await undoAll();
  await cart();
  await page.keyboard.press('Escape');
  await undoAll();
  await page.getByRole('button', { name: 'Frame the character' }).click();
}

/** A picture of a face with its channels as sliders, on the demo: what is done for it is undone again. */
async function face() {
  await page.getByRole('button', { name: /Glance at the gulls\s*additive$/ }).click();
  await page.getByRole('button', { name: 'Open the face: its channels as sliders' }).click();
  await page.getByRole('button', { name: 'Add additive layer' }).click();
  await goToFrame(40);
  for (const [name, value] of [
    ['browUpLeft', 0.9],
    ['browUpRight', 0.5],
    ['smileLeft', 0.85],
    ['smileRight', 0.7],
    ['mouthOpen', 0.45],
  ]) {
    const number = page.getByRole('spinbutton', { name: `${name} as seen` });
    await number.press('Enter');
    await page.keyboard.type(String(value));
    await page.keyboard.press('Enter');
    await number.blur();
  }
  await page.getByRole('button', { name: 'Follow the character' }).click();
  await page.getByRole('button', { name: 'Look at the face' }).click();
  await shoot('face');
  await page.getByRole('button', { name: 'Follow the character' }).click();
  await page.getByRole('button', { name: 'Frame the character' }).click();
  await page.getByRole('button', { name: 'Back to the body map' }).click();
  await undoAll();
}

/** Pictures of a film, of a review and of the notes that come back, on the demo: what is done for them is undone again. */
async function showing() {
  await page.getByRole('button', { name: /Weary lean\s*additive$/ }).click();
  await goToFrame(62);
  await page.getByRole('button', { name: 'Keep as variant' }).click();
  await page.getByRole('button', { name: 'Keep as variant' }).click();
  await setNumber('Weight of the lit layer', 1.6);
  await page.getByRole('button', { name: 'Make a film' }).click();
  const film = page.getByRole('region', { name: 'Film' });
  for (const name of ['Variant 1', 'Variant 2', 'side by side', 'layers'])
    await film.getByRole('button', { name, exact: true }).click();
  await film.getByRole('textbox', { name: 'A line that is written on the film' }).fill('Quay, evening, 2');
  await film.getByRole('textbox', { name: 'A line that is written on the film' }).blur();
  await shoot('film');
  await page.getByRole('button', { name: 'Show the notes' }).click();
  await page.getByRole('button', { name: 'review file …' }).click();
  await page
    .getByRole('region', { name: 'Review file' })
    .getByRole('button', { name: /Weary lean/ })
    .click();
  const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
  const [file, back] = [join(folder, 'review.html'), join(folder, 'Ada.evlay-notes')];
  const saved = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save the review file' }).click();
  await (await saved).saveAs(file);
  await reviewed(file, back);
  await page.getByRole('button', { name: 'Leave the review file' }).click();
  const notes = readFileSync(back).toString('base64');
  await page.evaluate((base64) => {
    const transfer = new DataTransfer();
    const bytes = Uint8Array.from(atob(base64), (char) => char.charCodeAt(0));
    transfer.items.add(new File([bytes], 'Ada.evlay-notes'));
    window.dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }));
  }, notes);
  await page.getByRole('button', { name: /^Go to the note at 62/ }).click();
  await page.getByRole('button', { name: 'as the layers are' }).click();
  await shoot('notes');
  await page.getByRole('button', { name: 'Leave the notes' }).click();
  rmSync(folder, { recursive: true });
  await undoAll();
  await page.getByRole('button', { name: 'Frame the character' }).click();
}

/** The page of a review as a lead sees it, who draws, writes and turns a layer; what comes back is saved. */
async function reviewed(file, back) {
  const review = await browser.newPage({ viewport: { width: 1280, height: 800 }, acceptDownloads: true });
  await review.goto(pathToFileURL(file).href);
  await review.getByRole('slider', { name: 'Frame that is seen' }).fill('62');
  await review.getByRole('button', { name: 'draw', exact: true }).click();
  const paper = await review.locator('.paper').boundingBox();
  const [x, y] = [paper.x + 0.36 * paper.width, paper.y + 0.44 * paper.height];
  await review.mouse.move(x, y);
  await review.mouse.down();
  for (let k = 1; k <= 24; k++) await review.mouse.move(x - 4 * k, y - 34 * Math.sin(k / 12));
  await review.mouse.up();
  const text = review.getByRole('textbox', { name: 'What you say about this frame' });
  await text.fill('The lantern a little lower, and let it swing.');
  await review.getByRole('button', { name: 'Add the note' }).click();
  await review.getByRole('slider', { name: 'Weary lean' }).fill('0.6');
  await review.getByRole('textbox', { name: 'Your name' }).fill('Ada');
  await review.getByRole('combobox', { name: 'The other variant' }).waitFor({ state: 'detached' });
  await review.getByRole('button', { name: 'side by side' }).click();
  await review.getByRole('combobox', { name: 'The other variant' }).selectOption('Variant 2');
  await review.waitForTimeout(1500);
  await review.screenshot({ path: join(ROOT, 'docs', 'screenshots', 'review.png') });
  console.log('docs/screenshots/review.png');
  const sent = review.waitForEvent('download');
  await review.getByRole('button', { name: 'Send back' }).click();
  await (await sent).saveAs(back);
  await review.close();
}

try {
  await page.goto(home);
  await page.getByRole('main').getByRole('button', { name: 'Open the demo' }).click();
  await page.waitForURL(/\/p\//);
  await page.getByRole('slider', { name: /^head/ }).waitFor();
  await page.waitForTimeout(2500);
  await page.getByRole('button', { name: /Lantern arm\s*override$/ }).click();
  await page.getByRole('button', { name: 'Open the lane of Lantern arm' }).click();
  await goToFrame(62);
  await page.getByRole('slider', { name: /^right arm/ }).press('Enter');
  // Lanes close up again when the pointer has left them.
  await page.mouse.move(900, 300);
  await shoot('layers');
  await page.keyboard.press('Escape');
  await page.getByText('saved ✓').waitFor();
  await posing();
  await timing();
  await face();
  await scene();
  await showing();

  await page.getByRole('button', { name: /Lantern arm\s*override$/ }).click();
  await page.getByRole('tab', { name: 'Layer' }).click();
  await page.getByRole('button', { name: 'Merge with the layer below' }).click();
  await page.getByRole('status', { name: 'What comes out' }).waitFor();
  await shoot('merge');
  await page.getByRole('button', { name: 'Leave the layers as they are' }).click();

  await page.getByRole('link', { name: 'Bake' }).click();
  await page.getByRole('region', { name: 'Format' }).getByRole('button', { name: 'few keys' }).click();
  await page
    .getByRole('list', { name: 'Keys for how far they may be off' })
    .getByRole('button')
    .nth(5)
    .waitFor();
  await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Bake to GLB' }).click(),
  ]);
  await shoot('bake');
  await repeating();

  await page.getByRole('link', { name: 'evlay' }).click();
  await page.getByRole('heading', { name: 'Projects' }).waitFor();
  await page.getByRole('button', { name: 'Open Brindle’s quay run' }).click();
  await page.waitForURL(/\/p\//);
  await page.getByRole('slider', { name: /^tail/ }).waitFor();
  await page.waitForTimeout(2500);
  await page.getByRole('button', { name: /Trot\s*override$/ }).click();
  await page.getByRole('button', { name: 'Open the lane of Trot' }).click();
  // More room for the lanes, so that the legs are in sight.
  const edge = await page.getByRole('separator', { name: 'Height of the lanes' }).boundingBox();
  await page.mouse.move(640, edge.y + 2);
  await page.mouse.down();
  await page.mouse.move(640, edge.y - 150, { steps: 5 });
  await page.mouse.up();
  await goToFrame(71);
  await page.mouse.move(640, edge.y - 148);
  await page.mouse.down();
  await page.mouse.move(640, edge.y + 2, { steps: 5 });
  await page.mouse.up();
  await blending();
  await findings();
  await grounding();

  await page.getByRole('link', { name: 'evlay' }).click();
  await page.getByRole('heading', { name: 'Projects' }).waitFor();
  await page.getByRole('button', { name: 'Open the gull over the quay' }).click();
  await page.waitForURL(/\/p\//);
  await page.getByRole('slider', { name: /^left wing/ }).waitFor();
  await page.waitForTimeout(2500);
  await page.getByRole('button', { name: 'Keep the body map open' }).click();
  await goToFrame(100);
  await page.getByText('saved ✓').waitFor();

  await page.getByRole('link', { name: 'evlay' }).click();
  await page.getByRole('heading', { name: 'Projects' }).waitFor();
  await shoot('projects');
  // The cards of an empty list show the demos as they are.
  for (const [name, file] of [
    ['Lamp-lighting', 'wick'],
    ['Quay run', 'brindle'],
    ['Gull over the quay', 'gull'],
    ['The lantern on its hook', 'hook'],
  ]) {
    const source = await page
      .getByRole('listitem')
      .filter({ hasText: name })
      .locator('img')
      .first()
      .getAttribute('src');
    for (const folder of ['public', 'dist'])
      writeFileSync(
        join(ROOT, 'apps/web', folder, 'pictures', `${file}.jpg`),
        Buffer.from(source.split(',')[1], 'base64'),
      );
  }
} finally {
  await browser.close();
  server.kill();
}
