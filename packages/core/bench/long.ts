import { existsSync, readFileSync } from 'node:fs';
import { findingSteps } from '../src/check/index.js';
import { projectFromTake } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import type { Project } from '../src/index.js';
import { findContacts } from '../src/make/index.js';
import { type Line, lineOf } from './measure.js';
import { withFingers } from './scene.js';

const CAPTURE = '/usr/share/assimp/models/BVH/01_01.bvh';
const FPS = 120;
const FRAMES = 600 * FPS;

/** A capture on 70 joints that goes round for ten minutes, with its contacts. */
export function longSubject(): Project {
  const { take: bare } = readTake('01_01.bvh', readFileSync(CAPTURE));
  const take = { ...bare, rig: withFingers(bare.rig, 70), interval: 1 / FPS };
  const plain = projectFromTake(take);
  const [base, ...others] = plain.layers;
  return {
    ...plain,
    fps: FPS,
    range: [0, FRAMES],
    takes: [{ ...take, contacts: findContacts(take, plain.metresPerUnit) }],
    layers: [{ ...base, time: { offset: 0, speed: 1, loop: 'travel' } }, ...others],
  };
}

/** What findings of a long range cost: until the first of them are there, and all; and the memory that is held meanwhile. */
export function longLines(): Line[] {
  if (!existsSync(CAPTURE)) return [];
  const project = longSubject();
  const started = performance.now();
  const before = process.memoryUsage().rss;
  let first = 0;
  let most = before;
  const steps = findingSteps(project, undefined, {
    near: FRAMES / 2,
    onWindow: () => {
      first ||= performance.now() - started;
    },
  });
  while (!steps.next().done) most = Math.max(most, process.memoryUsage().rss);
  const seconds = (performance.now() - started) / 1e3;
  return [
    lineOf('findings of 10 minutes at 120, 70 joints: the first of them', 'ms', first),
    lineOf('… all of them', 's', seconds),
    lineOf('… memory above what was held before', 'MB', (most - before) / 1e6),
  ];
}
