import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Rig } from '@evlay/core';
import { readKit, readProject } from '@evlay/core/format';
import { afterAll, describe, expect, it } from 'vitest';
import { doJob, type Kept } from '../../../packages/batch/src/do-job.js';
import { digestOf, type TakeJob } from '../../../packages/batch/src/index.js';
import { captureBytes } from '../../../packages/core/test/capture.js';
import { figureGlb } from '../../../packages/demo/src/glb.js';
import { PLACES, WICK } from '../../../packages/demo/src/wick/skeleton.js';

const folder = mkdtempSync(join(tmpdir(), 'evlay-kept-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Writes a file, and says what a job is told of it. */
function put(name: string, bytes: Uint8Array | string) {
  const path = join(folder, name);
  writeFileSync(path, bytes);
  return { path, digest: digestOf(readFileSync(path)) };
}

const taller = (by: number): Rig => ({
  joints: WICK.joints.map((joint) => ({
    ...joint,
    translation: joint.translation.map((length) => by * length) as [number, number, number],
  })),
});
const figure = (by: number) =>
  figureGlb(
    'Wick',
    taller(by),
    PLACES.map(({ at }) => at.map((length) => by * length) as [number, number, number]),
    [],
  );

describe('a thread that keeps the character of the job before', () => {
  it('brings the same bytes as one that keeps nothing, whichever characters follow one another', async () => {
    const text = new TextDecoder().decode(captureBytes()).split('\n');
    const at = text.findIndex((line) => line.startsWith('Frame Time'));
    const head = text.slice(0, at + 1).with(at - 1, 'Frames: 90');
    const takes = [0, 200].map((from, k) =>
      put(`take-${k}.bvh`, [...head, ...text.slice(at + 1 + from, at + 91 + from), ''].join('\n')),
    );
    const kit = put(
      'none.evlay-kit',
      JSON.stringify({
        format: 'evlay-kit',
        version: 1,
        name: 'Lean',
        fps: 30,
        range: [0, 20],
        events: [],
        layers: [
          {
            name: 'Lean',
            mode: 'additive',
            channels: {
              Chest: {
                rx: {
                  keys: [
                    [0, 0],
                    [20, 8],
                  ],
                },
              },
            },
          },
        ],
      }),
    );
    await readKit(kit.path, readFileSync(kit.path), () => undefined as never);
    const small = await figure(1);
    // Two characters, and the bytes of one of them under another name.
    const rigs = [put('wick.glb', small), put('tall.glb', await figure(1.3)), put('twin.glb', small)];
    const jobs = [0, 0, 1, 2, 0, 1].map(
      (which, k): TakeJob => ({
        kit,
        take: takes[k % 2],
        rig: rigs[which],
        name: `take-${k}`,
        out: folder,
        format: 'glb',
      }),
    );
    const kept: Kept = {};
    for (const job of jobs) {
      const [own, fresh] = [await doJob(job, kept), await doJob(job)];
      expect(own.files.map(({ name, bytes }) => [name, digestOf(bytes)])).toEqual(
        fresh.files.map(({ name, bytes }) => [name, digestOf(bytes)]),
      );
      expect(kept.character!.file).toEqual(job.rig);
    }
    // What a batch writes without packing it comes back whole.
    const [file] = (await doJob(jobs[0], kept)).files;
    const { project } = await readProject(file.bytes, file.name);
    expect(project.layers.map(({ name }) => name)).toEqual(['Base', 'Lean']);
    expect(project.takes[1].count).toBe(90);
  });
});
