import { existsSync, readFileSync } from 'node:fs';
import { BVHLoader } from 'three/addons/loaders/BVHLoader.js';
import { readBvh, readTake } from '../src/format/index.js';
import { findContacts } from '../src/make/index.js';
import { fitMotion, mappingOf, matchRigs } from '../src/match/index.js';
import { bakeLines } from './bake.js';
import { blendLines } from './blend.js';
import { compareRuns, printCompared } from './compare.js';
import { editLines } from './edit.js';
import { evaluateLines } from './evaluate.js';
import { groundLines } from './ground.js';
import { growthLines } from './growth.js';
import { keysLines } from './keys.js';
import { kitLines } from './kits.js';
import { longLines } from './long.js';
import { type Line, measure, printTable } from './measure.js';
import { motionLines } from './motion.js';
import { sceneLines } from './scene.js';

const CAPTURE = '/usr/share/assimp/models/BVH/01_01.bvh';

function readLines(): Line[] {
  if (!existsSync(CAPTURE)) return [];
  const bytes = readFileSync(CAPTURE);
  const text = bytes.toString('utf8');
  return [
    measure(
      'read BVH',
      'ms',
      1e3,
      1,
      () => readBvh(bytes),
      () => new BVHLoader().parse(text),
    ),
  ];
}

/** What a capture costs until it plays on a character: matching, fitting, finding where its feet stand. */
function captureLines(): Line[] {
  if (!existsSync(CAPTURE)) return [];
  const { take } = readTake('01_01.bvh', readFileSync(CAPTURE));
  const { rig } = take;
  const mapping = mappingOf(rig, rig, matchRigs(rig, rig));
  return [
    measure('match the joints of two skeletons', 'ms', 1e3, 1, () => matchRigs(rig, rig)),
    measure('fit 2752 frames, 31 joints', 'ms', 1e3, 1, () => fitMotion(take, rig, mapping)),
    measure('find the contacts of 2752 frames', 'ms', 1e3, 1, () => findContacts(take, 0.056)),
  ];
}

const at = process.argv.indexOf('--against');
const before: Line[] | undefined =
  at < 0 ? undefined : JSON.parse(readFileSync(process.argv[at + 1], 'utf8'));
/** What is measured, by the name by which it is asked for alone: `npm run bench -- growth`. */
const GROUPS: Record<string, () => Line[] | Promise<Line[]>> = {
  evaluate: evaluateLines,
  bake: bakeLines,
  read: () => [...readLines(), ...captureLines()],
  edit: editLines,
  motion: motionLines,
  blend: blendLines,
  ground: groundLines,
  long: longLines,
  scene: sceneLines,
  kits: kitLines,
  keys: () => keysLines(CAPTURE),
  growth: growthLines,
};
const asked = Object.keys(GROUPS).filter((name) => process.argv.includes(name));
const found: Line[] = [];
for (const name of asked.length > 0 ? asked : Object.keys(GROUPS)) found.push(...(await GROUPS[name]()));
if (before) process.exitCode = printCompared(compareRuns(found, before)) ? 0 : 1;
else if (process.argv.includes('--json')) console.log(JSON.stringify(found));
else printTable(found);
