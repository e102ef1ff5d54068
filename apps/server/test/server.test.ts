import { type ChildProcess, spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, symlinkSync, writeFileSync } from 'node:fs';
import { get } from 'node:http';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { buildSync } from 'esbuild';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';

/** The server as it is built, beside an application of three files. */
const folder = mkdtempSync(join(tmpdir(), 'evlay-server-'));
const main = join(folder, 'server/dist/main.mjs');

/** Starts it; resolves with what it says first, on either output, and how it ended if it did. */
function start(port: string): Promise<{ child: ChildProcess; said: string }> {
  const child = spawn(process.execPath, [main], { env: { ...process.env, PORT: port } });
  return new Promise((resolve) => {
    let said = '';
    const hear = (data: Buffer) => {
      said += data;
      if (said.includes('Evlay is at')) resolve({ child, said });
    };
    child.stdout.on('data', hear);
    child.stderr.on('data', hear);
    child.on('close', () => resolve({ child, said }));
  });
}

describe('the server', () => {
  let child: ChildProcess;
  let at = '';

  beforeAll(async () => {
    mkdirSync(join(folder, 'web/dist/assets'), { recursive: true });
    writeFileSync(join(folder, 'web/dist/index.html'), '<title>evlay</title>');
    writeFileSync(join(folder, 'web/dist/assets/main-1a2b.js'), '0');
    buildSync({
      entryPoints: [join(import.meta.dirname, '../src/main.ts')],
      bundle: true,
      platform: 'node',
      format: 'esm',
      target: 'node20',
      outfile: main,
      banner: {
        js: "import{createRequire as makeRequire}from'node:module';const require=makeRequire(import.meta.url);",
      },
    });
    const started = await start('0');
    child = started.child;
    at = /http:\S+/.exec(started.said)![0];
  });
  afterAll(() => {
    child.kill();
  });

  it('keeps what is named by its content, and asks for the page again', async () => {
    const asset = await fetch(`${at}assets/main-1a2b.js`);
    expect(asset.headers.get('cache-control')).toMatch(/max-age=31536000, immutable/);
    const page = await fetch(`${at}p/some-project/takes`);
    // With both of them a page may share memory with its workers (HTML standard, cross-origin isolation).
    for (const { headers } of [asset, page])
      expect([
        headers.get('cross-origin-opener-policy'),
        headers.get('cross-origin-embedder-policy'),
      ]).toEqual(['same-origin', 'require-corp']);
    expect([page.status, await page.text()]).toEqual([200, '<title>evlay</title>']);
    expect(page.headers.get('cache-control')).toMatch(/max-age=0/);
    // A video that was chosen is shown from the page's own memory.
    expect(page.headers.get('content-security-policy')).toMatch(/media-src 'self' blob:/);
  });

  it.each([
    ['%zz', 400],
    ['assets/none.js', 404],
    ['none.png', 404],
    ['assets/..%2f..%2fserver.js', 403],
  ])('answers /%s with a line and %d, and nothing of its own', async (path, status) => {
    const answer = await fetch(`${at}${path}`);
    const text = await answer.text();
    expect([answer.status, text.trim().split('\n').length]).toEqual([status, 1]);
    expect(text).not.toMatch(/Error|node_modules|:\d+:\d+/);
  });

  it('serves nothing that a link leads to, and no page of another name', async () => {
    writeFileSync(join(folder, 'secret.txt'), 'secret');
    symlinkSync(join(folder, 'secret.txt'), join(folder, 'web/dist/assets/link.txt'));
    symlinkSync(folder, join(folder, 'web/dist/out'));
    for (const path of ['assets/link.txt', 'out/secret.txt']) {
      const answer = await fetch(`${at}${path}`);
      expect([answer.status, await answer.text()]).toEqual([404, expect.not.stringContaining('secret')]);
    }
    const named = (host: string) =>
      new Promise<number>((resolve) => {
        get(at, { headers: { host } }, (answer) => resolve(answer.statusCode!)).end();
      });
    expect(await named('elsewhere.example')).toBe(421);
    expect(await named(`localhost:${new URL(at).port}`)).toBe(200);
  });

  it.each(['abc', '70000', '-1', ''])('refuses PORT="%s" with a line', async (port) => {
    const { child: other, said } = await start(port);
    expect([other.exitCode, said]).toEqual([
      1,
      expect.stringMatching(/^PORT is ".*", expected a number from 0 to 65535\.\n$/),
    ]);
  });

  it('says that a port is taken, and no address', async () => {
    const taken = createServer();
    await new Promise<void>((resolve) => taken.listen(0, '127.0.0.1', resolve));
    const { port } = taken.address() as { port: number };
    const { child: other, said } = await start(String(port));
    taken.close();
    expect([other.exitCode, said]).toEqual([1, `Port ${port} is taken: set PORT to another one.\n`]);
  });
});
