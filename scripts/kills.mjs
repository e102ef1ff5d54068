import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { CHROMIUM } from './chromium.mjs';
import { startServer } from './run.mjs';

/**
 * What Evlay promises about data, tried on a real browser (docs/data.md). Run by hand: `npm run kills -- [times]`.
 *
 * - Kills: the browser is ended at drawn moments, after edits, bursts of edits and imports, and opens the same profile
 *   again. At most the last second is lost, nothing that was said to be saved, every project opens, and undo goes step
 *   by step.
 * - Leaving: a page is reloaded or closed right after an edit or an import, some after a hundred edits. Nothing is lost, and
 *   every step can be undone.
 * - Tabs: three tabs edit, take over, delete and sweep. Nothing is lost without a word.
 */
const TIMES = Number(process.argv[2] ?? 200);
const LEAVES = Math.max(1, Math.round(TIMES / 4));
/** Steps of the long histories that a page is left with. */
const LONG = 100;
const ROUNDS = Math.max(1, Math.round(TIMES / 10));
const PORT = 4197;
const HOME = `http://127.0.0.1:${PORT}/`;
/** The longest that an edit may wait for its save, with room for a machine that is busy. */
const LONGEST = 1000 + 700;

const profile = mkdtempSync(join(tmpdir(), 'evlay-kills-'));
const server = await startServer(PORT);
const motion = (name) => {
  const rows = Array.from({ length: 20 }, (_, k) => `0 90 ${k} ${k} 0 0 ${2 * k} 0 0`);
  return {
    name: `${name}.bvh`,
    mimeType: 'application/octet-stream',
    buffer: Buffer.from(
      `HIERARCHY\nROOT Hips\n{\n  OFFSET 0 0 0\n  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n  JOINT Chest\n  {\n    OFFSET 0 20 0\n    CHANNELS 3 Zrotation Xrotation Yrotation\n    End Site\n    {\n      OFFSET 0 30 0\n    }\n  }\n}\nMOTION\nFrames: 20\nFrame Time: 0.0333333\n${rows.join('\n')}\n`,
    ),
  };
};
const failures = [];
const expect = (holds, what) => {
  if (holds) return;
  failures.push(what);
  console.error(`FAILED: ${what}`);
};

/** A browser on the profile that can be ended at once, as by a crash. One that does not come up is started again. */
async function openBrowser(tries = 3) {
  rmSync(join(profile, 'SingletonLock'), { force: true });
  const child = spawn(
    CHROMIUM.executablePath,
    [...CHROMIUM.args, '--remote-debugging-port=0', `--user-data-dir=${profile}`],
    { detached: true, stdio: ['ignore', 'ignore', 'pipe'] },
  );
  const address = await new Promise((resolve, reject) => {
    let text = '';
    child.stderr.on('data', (data) => {
      text += data;
      const found = /DevTools listening on (ws:\S+)/.exec(text);
      if (found) resolve(found[1]);
    });
    child.on('exit', () => reject(new Error(`The browser did not start: ${text}`)));
  });
  const kill = () =>
    new Promise((resolve) => {
      child.removeAllListeners('exit');
      child.on('exit', resolve);
      process.kill(-child.pid, 'SIGKILL');
    });
  try {
    const browser = await chromium.connectOverCDP(address);
    return { context: browser.contexts()[0], kill };
  } catch (error) {
    await kill();
    if (tries === 1) throw error;
    return openBrowser(tries - 1);
  }
}

const nameField = (page) => page.getByLabel('Name of the project');
const saved = (page) => page.getByText('saved ✓');

/** Renames the open project: the quickest edit that there is. */
async function edit(page, name) {
  await nameField(page).fill(name);
  await nameField(page).press('Enter');
}

const numberOf = (name) => Number(/^n(\d+)$/.exec(name)?.[1] ?? -1);

async function importProject(page, name) {
  await page.goto(HOME);
  await page.getByRole('heading', { name: 'Projects' }).waitFor();
  await page.getByLabel('Motion, character or project file').setInputFiles(motion(name));
  await page.waitForURL(/\/p\//);
}

async function kills() {
  let { context, kill } = await openBrowser();
  let page = await context.newPage();
  await importProject(page, 'kept');
  await saved(page).waitFor();
  const url = `${page.url()}/bake`;
  await page.goto(url);
  let last = 0;
  let projects = 1;
  let lost = 0;
  for (let k = 0; k < TIMES; k++) {
    const sent = [];
    let said = last;
    const kind = ['edit', 'burst', 'import'][k % 3];
    await nameField(page).waitFor();
    const end = Date.now() + Math.random() * 2200;
    try {
      if (kind === 'import' && k % 2 === 1) {
        await importProject(page, `import ${k}`);
        // Once its address is shown the project is kept.
        projects++;
      } else {
        const edits = kind === 'burst' ? 12 : 2;
        for (let n = 0; n < edits && Date.now() < end; n++) {
          const number = last + sent.length + 1;
          sent.push({ number, at: Date.now() });
          await edit(page, `n${number}`);
          if (kind !== 'burst' && Math.random() < 0.5) {
            await saved(page).waitFor({ timeout: 3000 });
            said = number;
          }
        }
      }
      await new Promise((resolve) => setTimeout(resolve, Math.max(0, end - Date.now())));
    } catch (error) {
      expect(false, `${k}: ${error.message.split('\n')[0]}`);
    }
    const killed = Date.now();
    await kill();
    ({ context, kill } = await openBrowser());
    page = await context.newPage();
    page.setDefaultTimeout(20_000);
    try {
      await page.goto(HOME);
      const cards = page.getByRole('main').getByRole('listitem');
      await cards.first().waitFor();
      const count = await cards.count();
      expect(count >= projects, `${k}: ${count} projects of ${projects}`);
      projects = count;
      expect((await page.getByText('part of it cannot be read').count()) === 0, `${k}: a project is damaged`);
      await page.goto(url);
      await nameField(page).waitFor();
      const found = numberOf(await nameField(page).inputValue());
      const due = sent.filter(({ at }) => killed - at > LONGEST).at(-1)?.number ?? last;
      expect(
        found >= Math.max(due, said),
        `${k} (${kind}): n${found}, but n${due} was due and n${said} said`,
      );
      lost += last + sent.length - found;
      const undo = page.getByRole('button', { name: 'Undo' });
      for (let back = 1; back <= 3 && found - back > 0; back++) {
        await undo.click();
        const now = numberOf(await nameField(page).inputValue());
        expect(now === found - back, `${k}: undo ${back} shows n${now} and not n${found - back}`);
      }
      for (let back = Math.min(3, found - 1); back > 0; back--)
        await page.getByRole('button', { name: 'Redo' }).click();
      last = found;
      await saved(page).waitFor();
    } catch (error) {
      expect(false, `${k}: it does not open again: ${error.message.split('\n')[0]}`);
    }
    if (k % 20 === 19) console.log(`${k + 1} kills`);
  }
  console.log(`${TIMES} kills: ${lost} edits of the last second lost, ${projects} projects`);
  await kill();
}

async function leaves() {
  const { context, kill } = await openBrowser();
  let page = await context.newPage();
  for (let k = 0; k < LEAVES; k++) {
    await importProject(page, `leave ${k}`);
    const url = `${page.url()}/bake`;
    const wanted = k % 2 === 0 ? `left ${k}` : `leave ${k}`;
    const steps = k % 4 === 0 ? LONG : 0;
    if (k % 2 === 0) {
      await page.goto(url);
      await nameField(page).waitFor();
      for (let n = 1; n < steps; n++) await edit(page, `step ${n}`);
      await edit(page, wanted);
      await new Promise((resolve) => setTimeout(resolve, Math.random() * 300));
    }
    if (k % 3 === 0) {
      await page.close();
      page = await context.newPage();
    } else await page.reload();
    await page.goto(url);
    await nameField(page).waitFor();
    const found = await nameField(page).inputValue();
    expect(found === wanted, `leave ${k}: “${found}” and not “${wanted}”`);
    const undo = page.getByRole('button', { name: 'Undo' });
    for (let back = 1; back <= steps; back++) await undo.click();
    const first = await nameField(page).inputValue();
    if (steps > 0)
      expect(
        first === `leave ${k}` && (await undo.isDisabled()),
        `leave ${k}: ${steps} steps of undo show “${first}”`,
      );
  }
  console.log(`${LEAVES} reloads and closed tabs`);
  await kill();
}

async function tabs() {
  const { context, kill } = await openBrowser();
  const [a, b, c] = await Promise.all([context.newPage(), context.newPage(), context.newPage()]);
  await importProject(a, 'tabs');
  await saved(a).waitFor();
  const url = `${a.url()}/bake`;
  let [holder, other] = [a, b];
  await holder.goto(url);
  await nameField(holder).waitFor();
  for (let k = 0; k < ROUNDS; k++) {
    await other.goto(url);
    await other.getByText('only to look at').waitFor();
    await edit(holder, `tabs ${k}`);
    // Meanwhile the third tab sweeps, and tries to delete what is open.
    await c.goto(HOME);
    await c
      .getByRole('button', { name: /^More for tabs/ })
      .first()
      .click();
    await c.getByRole('menuitem', { name: 'Delete' }).click();
    await c
      .getByText(/is open in another tab/)
      .first()
      .waitFor();
    await other.getByRole('button', { name: 'take it over', exact: true }).click();
    await saved(other).waitFor();
    const found = await nameField(other).inputValue();
    expect(found === `tabs ${k}`, `tabs ${k}: the tab that took over shows “${found}”`);
    await holder.getByText('only to look at').waitFor();
    const imported = importProject(c, `beside ${k}`);
    await holder.goto(HOME);
    await imported;
    await c.reload();
    await nameField(c).waitFor();
    expect((await nameField(c).inputValue()) === `beside ${k}`, `tabs ${k}: an import beside is lost`);
    [holder, other] = [other, holder];
  }
  console.log(`${ROUNDS} rounds of three tabs`);
  await kill();
}

try {
  await kills();
  await leaves();
  await tabs();
} finally {
  server.kill();
  rmSync(profile, { recursive: true, force: true });
}
console.log(failures.length === 0 ? 'nothing was lost' : `${failures.length} failures`);
process.exit(failures.length === 0 ? 0 : 1);
