import { existsSync, readFileSync } from 'node:fs';
import { BVHLoader } from 'three/addons/loaders/BVHLoader.js';
import { readBvh } from '../src/index.js';
import { bakeLine } from './bake.js';
import { evaluateLines } from './evaluate.js';
import { type Line, measure, printTable } from './measure.js';

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

const found = [...evaluateLines(), await bakeLine(), ...readLines()];
if (process.argv.includes('--json')) console.log(JSON.stringify(found));
else printTable(found);
