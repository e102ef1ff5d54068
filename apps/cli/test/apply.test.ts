import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { keyed, newKey, newLayer } from '@evlay/core';
import { projectFor } from '@evlay/core/apply';
import { keepContacts, makeKit } from '@evlay/core/edit';
import {
  readGlbTake,
  readProject,
  readStreamLine,
  readTake,
  recordingOf,
  writeKit,
} from '@evlay/core/format';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { WebSocket } from 'ws';
import { random } from '../../../packages/core/bench/subject.js';
import { captureBytes } from '../../../packages/core/test/capture.js';

const COMMAND = join(import.meta.dirname, '../bin/evlay.mjs');
const folder = mkdtempSync(join(tmpdir(), 'evlay-apply-'));
const started: ChildProcess[] = [];
const TAKES = 6;

const evlay = (...args: string[]) =>
  spawnSync(process.execPath, [COMMAND, ...args], { cwd: folder, encoding: 'utf8' });

const start = (command: string, args: readonly string[]) => {
  const child = spawn(command, args, { cwd: folder, stdio: ['ignore', 'pipe', 'pipe'] });
  started.push(child);
  const said = { text: '' };
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk) => (said.text += chunk));
  const ended = new Promise<number | null>((done) => child.on('close', (status) => done(status)));
  return { child, said, ended };
};
const startEvlay = (...args: string[]) => start(process.execPath, [COMMAND, ...args]);
const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));
async function until(holds: () => boolean): Promise<void> {
  while (!holds()) await pause(50);
}

/** Digests of all whole results in a folder, by name. */
const results = (out: string): Record<string, string> =>
  Object.fromEntries(
    ['', 'results']
      .flatMap((inside) => readdirSync(join(folder, out, inside)).map((name) => join(inside, name)))
      .filter((name) => /\.(evlay|glb|json|html)$/.test(name))
      .sort()
      .map((name) => [
        name,
        createHash('sha256')
          .update(readFileSync(join(folder, out, name)))
          .digest('hex'),
      ]),
  );

/** How many takes are known to be whole in a folder. */
const recordsIn = (out: string): number =>
  existsSync(join(folder, out, 'results'))
    ? readdirSync(join(folder, out, 'results')).filter((name) => name.endsWith('.json')).length
    : 0;

const APPLY = ['apply', 'quay.evlay-kit', '--to', 'takes', '--out'];
let whole: Record<string, string>;

beforeAll(async () => {
  const text = new TextDecoder().decode(captureBytes()).split('\n');
  const at = text.findIndex((line) => line.startsWith('Frame Time'));
  const rows = text.slice(at + 1).filter((line) => line.trim());
  mkdirSync(join(folder, 'takes'));
  for (let k = 0; k < TAKES; k++) {
    const own = rows.slice(200 * k, 200 * k + 400 + 40 * k);
    const head = text.slice(0, at + 1).with(at - 1, `Frames: ${own.length}`);
    writeFileSync(join(folder, 'takes', `take-${k + 1}.bvh`), [...head, ...own, ''].join('\n'));
  }
  writeFileSync(join(folder, 'takes', 'poison.bvh'), text.slice(0, 40).join('\n'));
  const { take } = readTake('take-1.bvh', readFileSync(join(folder, 'takes', 'take-1.bvh')));
  const base = await projectFor(take, undefined, 30);
  const lean = newLayer('Lean', 'additive', {
    content: keyed({ LowerBack: { rx: { keys: [newKey(0, 0), newKey(40, 8)] } } }),
  });
  const project = keepContacts({ ...base, layers: [...base.layers, lean] })!.project;
  const kit = makeKit(project, { name: 'Quay repairs', layers: project.layers.slice(1).map(({ id }) => id) });
  writeFileSync(join(folder, 'quay.evlay-kit'), writeKit(kit).bytes);
  const run = evlay(...APPLY, 'whole', '--jobs', '1');
  expect(run.status).toBe(3);
  whole = results('whole');
});

afterAll(() => {
  for (const child of started) child.kill('SIGKILL');
  rmSync(folder, { recursive: true, force: true });
});

describe('evlay apply', () => {
  it('makes a project, a bake and a place in the report of each take, whatever the number of threads', async () => {
    const run = evlay(...APPLY, 'two', '--jobs', '2', '--json');
    expect(run.status).toBe(3);
    expect(results('two')).toEqual(whole);
    const summary = JSON.parse(run.stdout);
    expect(summary).toMatchObject({
      takes: TAKES + 1,
      done: TAKES,
      resumed: 0,
      failed: [{ take: 'takes/poison.bvh' }],
    });
    expect(run.stderr).toMatch(/^evlay: takes\/poison\.bvh: line \d+: the file ends/);
    const report = JSON.parse(readFileSync(join(folder, 'two/report.json'), 'utf8'));
    expect(report.failed).toEqual([{ take: 'poison.bvh', reason: expect.stringMatching(/^line \d+/) }]);
    const faults = report.takes.map(({ after }: { after: { grade: string; count: number }[] }) =>
      after.filter(({ grade }) => grade === 'fault').reduce((sum, { count }) => sum + count, 0),
    );
    expect(faults).toEqual([...faults].sort((a, b) => b - a));
    const page = readFileSync(join(folder, 'two/report.html'), 'utf8');
    expect(page.indexOf('poison.bvh')).toBeLessThan(page.indexOf('take-1'));
    expect(page).not.toMatch(/https?:|<script|src=/);
    // What was baked is what the project shows, at the rate of the kit.
    const { project } = await readProject(readFileSync(join(folder, 'two/take-3.evlay')), 'take-3.evlay');
    expect(project.layers.map(({ name }) => name)).toEqual(['Base', 'Lean', 'Contacts']);
    const { take } = readGlbTake('take-3.glb', readFileSync(join(folder, 'two/take-3.glb')), undefined);
    expect([take.count, 1 / take.interval]).toEqual([project.range[1] + 1, expect.closeTo(30, 3)]);
    const again = JSON.parse(evlay('bake', 'two/take-3.evlay', '--out', 'again.glb', '--json').stdout);
    expect(again.frames).toBe(take.count);
    expect(readFileSync(join(folder, 'again.glb')).equals(readFileSync(join(folder, 'two/take-3.glb')))).toBe(
      true,
    );
  });

  it('leaves whole files whenever it is ended, and goes on from there', async () => {
    const next = random(4);
    for (let round = 0; round < 4; round++) {
      const before = recordsIn('cut');
      const { child, ended } = startEvlay(...APPLY, 'cut', '--jobs', '2', '--resume');
      // Ended at a moment drawn after something more has come through.
      let over = false;
      void ended.then(() => (over = true));
      await until(() => over || recordsIn('cut') > before);
      await pause(1200 * next());
      child.kill(round % 2 === 0 ? 'SIGINT' : 'SIGKILL');
      await ended;
      for (const [name, digest] of Object.entries(results('cut')))
        if (!name.startsWith('report')) expect([name, digest]).toEqual([name, whole[name]]);
    }
    const there = recordsIn('cut');
    expect(there).toBeGreaterThan(0);
    expect(JSON.parse(evlay(...APPLY, 'cut', '--resume', '--json').stdout).resumed).toBe(there);
    expect(results('cut')).toEqual(whole);
    expect(readdirSync(join(folder, 'cut')).filter((name) => name.endsWith('.part'))).toEqual([]);
    // What is damaged, or made otherwise, is made once more.
    writeFileSync(join(folder, 'cut/take-2.glb'), 'half');
    expect(JSON.parse(evlay(...APPLY, 'cut', '--resume', '--json').stdout).resumed).toBe(TAKES - 1);
    expect(results('cut')).toEqual(whole);
    expect(JSON.parse(evlay(...APPLY, 'cut', '--resume', '--json', '--format', 'bvh').stdout).resumed).toBe(
      0,
    );
  });

  it('shares the work by a queue: one worker killed, Redis begun anew, a poisoned file', async () => {
    const port = 20_000 + (process.pid % 20_000);
    const url = `redis://localhost:${port}`;
    mkdirSync(join(folder, 'redis'));
    const redis = () =>
      start('redis-server', [
        '--port',
        `${port}`,
        '--dir',
        join(folder, 'redis'),
        '--appendonly',
        'yes',
        '--save',
        '',
      ]);
    const refused = evlay(...APPLY, 'queued', '--queue', url);
    expect([refused.status, refused.stderr]).toEqual([1, expect.stringMatching(/no Redis server answers/)]);
    let server = redis();
    await until(() => server.said.text.includes('Ready to accept'));
    const outside = evlay(
      'apply',
      'quay.evlay-kit',
      '--to',
      'takes',
      '--out',
      '..',
      '--queue',
      url,
      '--root',
      'takes',
    );
    expect([outside.status, outside.stderr]).toEqual([1, expect.stringMatching(/outside of "takes"/)]);
    const asked = startEvlay(...APPLY, 'queued', '--queue', url, '--json');
    const work = () => startEvlay('work', '--queue', url, '--jobs', '1');
    const [one, two] = [work(), work()];
    const count = () => recordsIn('queued');
    await until(() => count() >= 1);
    one.child.kill('SIGKILL');
    await until(() => count() >= 2);
    server.child.kill('SIGKILL');
    await server.ended;
    await pause(500);
    server = redis();
    expect(await asked.ended).toBe(3);
    expect(results('queued')).toEqual(whole);
    expect(asked.said.text).toMatch(/takes\/poison\.bvh: line \d+: the file ends/);
    expect(two.said.text).toMatch(/poison: failed/);
    // Asked again, all is there; what failed is tried anew.
    expect(JSON.parse(evlay(...APPLY, 'queued', '--queue', url, '--json').stdout)).toMatchObject({
      resumed: TAKES,
      done: TAKES,
    });
    two.child.kill('SIGTERM');
    expect(await two.ended).toBe(0);
    server.child.kill('SIGTERM');
  });

  it('takes what appears in a folder, when it is whole', async () => {
    mkdirSync(join(folder, 'stage'));
    const { child, said, ended } = startEvlay(
      'apply',
      'quay.evlay-kit',
      '--to',
      'stage',
      '--out',
      'watched',
      '--watch',
    );
    await until(() => said.text.includes('watches stage'));
    const bytes = readFileSync(join(folder, 'takes/take-1.bvh'));
    // A capture stage writes slowly.
    for (let k = 1; k <= 4; k++) {
      writeFileSync(join(folder, 'stage/take-1.bvh'), bytes.subarray(0, Math.round((k * bytes.length) / 4)));
      await pause(300);
    }
    await until(() => /^take-1$/m.test(said.text));
    writeFileSync(join(folder, 'stage/broken.bvh'), 'HIERARCHY');
    await until(() => /^broken: failed/m.test(said.text));
    writeFileSync(join(folder, 'stage/take-2.bvh'), readFileSync(join(folder, 'takes/take-2.bvh')));
    await until(() => /^take-2$/m.test(said.text));
    child.kill('SIGINT');
    expect(await ended).toBe(3);
    const found = results('watched');
    for (const name of ['take-1.glb', 'take-1.evlay', 'take-2.glb']) expect(found[name]).toBe(whole[name]);
    expect(JSON.parse(readFileSync(join(folder, 'watched/report.json'), 'utf8')).failed).toHaveLength(1);
  });

  it('says what is wrong with a call', () => {
    const cases: [string[], number, RegExp][] = [
      [['apply', 'none.evlay-kit', '--to', 'takes', '--out', 'x'], 1, /none\.evlay-kit: no such file/],
      [['apply', 'takes/take-1.bvh', '--to', 'takes', '--out', 'x'], 1, /take-1\.bvh: .*expected/],
      [['apply', 'quay.evlay-kit', '--to', 'redis-none', '--out', 'x'], 1, /no such file or folder/],
      [['apply', 'quay.evlay-kit', '--to', 'quay.evlay-kit', '--out', 'x'], 1, /takes are not read from it/],
      [['apply', 'quay.evlay-kit', '--to', 'takes', '--out', 'x', '--jobs', '0'], 2, /whole number from 1/],
      [
        [
          'apply',
          'quay.evlay-kit',
          '--to',
          'takes',
          '--out',
          'x',
          '--watch',
          '--queue',
          'redis://localhost:1',
        ],
        1,
        /expected no --queue/,
      ],
      [['work', '--queue', 'localhost'], 1, /expected the address of a Redis server/],
    ];
    for (const [args, status, message] of cases) {
      const run = evlay(...args);
      expect([args.join(' '), run.status, run.stderr]).toEqual([
        args.join(' '),
        status,
        expect.stringMatching(message),
      ]);
    }
  });

  it('is fed by a stage that writes takes, and one that sends samples as they are captured', async () => {
    const made = evlay('stage', 'takes/take-1.bvh', '--to', 'fed', '--count', '3', '--every', '0.1');
    expect(made.stdout.trim().split('\n')).toEqual([1, 2, 3].map((k) => join('fed', `take-1-00${k}.bvh`)));
    expect(
      readFileSync(join(folder, 'fed/take-1-003.bvh')).equals(readFileSync(join(folder, 'takes/take-1.bvh'))),
    ).toBe(true);
    const port = 20_000 + ((process.pid + 7919) % 20_000);
    const { said, ended } = startEvlay(
      'stage',
      'takes/take-1.bvh',
      '--stream',
      `${port}`,
      '--lose',
      '10',
      '--once',
    );
    await until(() => said.text.includes('streams'));
    const socket = new WebSocket(`ws://127.0.0.1:${port}`);
    const lines: string[] = [];
    socket.on('message', (data) => lines.push(String(data)));
    await new Promise((done) => socket.on('close', done));
    expect(await ended).toBe(0);
    const head = readStreamLine(lines[0], undefined);
    if (head.kind !== 'head') throw new Error('no head');
    const samples = lines.slice(1, -1).map((line) => readStreamLine(line, head.head));
    expect(readStreamLine(lines.at(-1)!, head.head).kind).toBe('end');
    const { doubts, motion } = recordingOf(
      head.head,
      samples.flatMap((line) => (line.kind === 'sample' ? [line.sample] : [])),
    )!;
    expect(motion.count).toBe(400);
    expect(samples.length + doubts.reduce((sum, { from, to }) => sum + to - from + 1, 0)).toBe(400);
    expect(evlay('stage', 'takes/take-1.bvh').stderr).toMatch(/expected --to FOLDER or --stream PORT/);
  });
});
