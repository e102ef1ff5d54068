import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Project } from '@evlay/core';
import { FileError, quote, writeProject } from '@evlay/core/format';
import type { Page } from 'playwright-core';
import { checkOut, openStack, tellWarnings, writeFile } from '../files.js';
import { showProgress } from '../report.js';
import { checkStandardOutput } from '../standard.js';
import { noVariant } from './review.js';

export interface FilmFlags {
  out: string;
  range?: [number, number];
  fps?: number;
  size?: [number, number];
  camera?: string;
  variant?: string[];
  beside?: boolean;
  numbers?: boolean;
  layers?: boolean;
  line?: string;
  notes?: boolean;
  json?: boolean;
  root?: string;
}

/** What a film is written as, by its ending. */
const KINDS: Readonly<Record<string, string>> = {
  '.mp4': 'mp4',
  '.webm': 'webm',
  '.gif': 'gif',
  '.zip': 'pictures',
  '.png': 'picture',
};

/** Where a browser may be; the first that is there draws. */
const BROWSERS = [
  process.env.EVLAY_BROWSER,
  '/usr/bin/chromium-headless-shell',
  '/usr/bin/chromium',
  '/usr/bin/chromium-browser',
];

/** Draws without a screen, and keeps off the network. */
const DRAWING = [
  '--no-sandbox',
  '--use-angle=swiftshader',
  '--enable-unsafe-swiftshader',
  '--ignore-gpu-blocklist',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--no-first-run',
];

/** Beside the command as it is built, which is one file in `dist`. */
const SERVER = new URL('../../server/dist/main.mjs', import.meta.url);

/** `evlay film`: makes a film with the page of the application, in a browser without a screen. */
export async function filmCommand(path: string, flags: FilmFlags): Promise<void> {
  const { out, json } = flags;
  checkStandardOutput(out, { '--json': json });
  const ending = Object.keys(KINDS).find((one) => out.toLowerCase().endsWith(one));
  if (!ending) throw new FileError(out, `expected a name that ends in ${Object.keys(KINDS).join(', ')}`);
  checkOut(out);
  const browser = drawingBrowser();
  const { project, warnings } = await openStack(path, flags.root);
  tellWarnings(warnings);
  const settings = filmSettings(path, project, KINDS[ending], flags);
  const film = await filmed(browser, basename(path), writeProject(project), settings);
  await writeFile(out, film);
  if (json) process.stdout.write(`${JSON.stringify({ out, bytes: film.length, ...settings, warnings })}\n`);
}

/** The browser that draws films, and the application that it opens are there; an error that says what to install where not. */
export function drawingBrowser(): string {
  const browser = BROWSERS.find((file) => file && existsSync(file));
  if (!browser)
    throw new FileError(
      'browser',
      'there is none that draws: install the Debian package chromium or chromium-headless-shell, or name one in EVLAY_BROWSER',
    );
  if (!existsSync(SERVER))
    throw new FileError('application', 'it is not built, expected `npm run build` before a film');
  return browser;
}

/** What the page is asked for. Refuses variants and cameras that the project has not. */
export function filmSettings(
  path: string,
  project: Project,
  kind: string,
  flags: Omit<FilmFlags, 'out' | 'json' | 'root'>,
) {
  const known = project.variants.map(({ name }) => name);
  const missing = flags.variant?.find((name) => !known.includes(name));
  if (missing !== undefined) throw noVariant(path, missing, known);
  if (
    flags.camera !== undefined &&
    !project.scene.props.some(({ name, camera }) => camera && name === flags.camera)
  )
    throw new FileError(path, `no camera is called ${quote(flags.camera)}`);
  const [width, height] = flags.size ?? [1280, 720];
  return {
    kind,
    range: flags.range ?? project.range,
    rate: flags.fps ?? project.fps,
    width,
    height,
    poses: 12,
    ...(flags.camera !== undefined && { camera: flags.camera }),
    variants: flags.variant ?? [],
    beside: flags.beside ?? false,
    numbers: flags.numbers ?? false,
    layers: flags.layers ?? false,
    line: flags.line ?? '',
    reference: false,
    notes: flags.notes ?? false,
  };
}

/** What the page says of a film: its part, or why there is none. */
interface Told {
  readonly done?: number;
  readonly failed?: string;
}

/** Films a project with the page, in a browser without a screen. */
export async function filmed(
  executablePath: string,
  name: string,
  project: Uint8Array,
  settings: object,
): Promise<Uint8Array> {
  const { chromium } = await import('playwright-core');
  const server = await startServer();
  const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
  try {
    const browser = await chromium.launch({ executablePath, args: DRAWING });
    try {
      const page = await browser.newPage({ acceptDownloads: true });
      await page.goto(server.address);
      await dropOn(page, `${name.replace(/\.[^.]*$/, '')}.evlay`, project);
      await page.waitForURL(/\/p\//, { timeout: 120_000 });
      let fail: (error: Error) => void = () => undefined;
      const failed = new Promise<never>((_, reject) => {
        fail = reject;
      });
      failed.catch(() => undefined);
      await page.exposeFunction('evlayFilmTold', ({ done, failed: reason }: Told) => {
        if (done !== undefined) showProgress(done);
        if (reason !== undefined) fail(new FileError('film', reason));
      });
      const download = page.waitForEvent('download', { timeout: 0 });
      await page.locator('[data-film-stage]').waitFor({ state: 'attached', timeout: 120_000 });
      await page.evaluate(
        (detail) => void window.dispatchEvent(new CustomEvent('evlay-film', { detail })),
        settings,
      );
      const file = join(folder, 'film');
      await (await Promise.race([download, failed])).saveAs(file);
      return new Uint8Array(readFileSync(file));
    } catch (error) {
      if (error instanceof FileError) throw error;
      // What drives the browser says more than a line.
      const [line] = String((error as Error).message).split('\n');
      throw new FileError('film', `the page did not make it: ${line}`);
    } finally {
      await browser.close();
    }
  } finally {
    server.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Drops a file on the page, as a hand would. */
const dropOn = (page: Page, name: string, bytes: Uint8Array): Promise<void> =>
  page.evaluate(
    ({ name: file, base64 }) => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([Uint8Array.from(atob(base64), (char) => char.charCodeAt(0))], file));
      window.dispatchEvent(
        new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }),
      );
    },
    { name, base64: Buffer.from(bytes).toString('base64') },
  );

/** Starts the server of the application on a free port of this machine. */
async function startServer(): Promise<{ readonly address: string; readonly stop: () => void }> {
  const child = spawn(process.execPath, [fileURLToPath(SERVER)], {
    stdio: ['ignore', 'pipe', 'inherit'],
    env: { ...process.env, PORT: '0' },
  });
  const address = await new Promise<string>((resolve, reject) => {
    let text = '';
    child.stdout.on('data', (chunk: Buffer) => {
      text += chunk.toString();
      const found = /http:\/\/\S+/.exec(text);
      if (found) resolve(found[0]);
    });
    child.on('exit', () => reject(new FileError('application', 'its server did not start')));
  });
  return { address, stop: () => void child.kill() };
}
