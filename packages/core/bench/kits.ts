import { existsSync, readFileSync } from 'node:fs';
import { applyKit, bakeWhole, projectFor } from '../src/apply/index.js';
import { keepContacts, makeKit } from '../src/edit/index.js';
import { readTake, writtenKind } from '../src/format/index.js';
import { finished, keyed, type Layer, newKey, newLayer } from '../src/index.js';
import { usualLimits } from '../src/keys/index.js';
import { type Line, yardstick } from './measure.js';

const CAPTURE = '/usr/share/assimp/models/BVH/01_01.bvh';
/** Frames of the takes: 20 s at 120 a second, of which the project has 30 a second. */
const FRAMES = 2400;
const TAKES = 4;

/** What a kit of eight layers with contacts costs on a take: put on, looked through before and after, few keys, a GLB of its skeleton. */
export async function kitLines(): Promise<Line[]> {
  if (!existsSync(CAPTURE)) return [];
  const text = readFileSync(CAPTURE, 'utf8').split('\n');
  const at = text.findIndex((row) => row.startsWith('Frame Time'));
  const rows = text.slice(at + 1).filter((row) => row.trim());
  const takes = Array.from({ length: TAKES + 1 }, (_, k) => {
    const head = text.slice(0, at + 1).with(at - 1, `Frames: ${FRAMES}`);
    const bytes = new TextEncoder().encode([...head, ...rows.slice(60 * k, 60 * k + FRAMES), ''].join('\n'));
    return readTake(`${k}.bvh`, bytes).take;
  });
  const base = await projectFor(takes[0], undefined, 30);
  const names = base.rig.joints.map(({ name }) => name);
  const layers = Array.from({ length: 7 }, (_, k): Layer => {
    const curve = {
      keys: Array.from({ length: 20 }, (_, i) => newKey(30 * i, 5 * Math.sin(1.7 * i + k))),
    };
    const own = names.filter((_, j) => j % 7 === k);
    return newLayer(`Layer ${k}`, 'additive', {
      content: keyed(Object.fromEntries(own.map((name) => [name, { rx: curve, ry: curve, rz: curve }]))),
    });
  });
  const kept = keepContacts({ ...base, layers: [...base.layers, ...layers] })!.project;
  const kit = makeKit(kept, { name: 'Repair', layers: kept.layers.slice(1).map(({ id }) => id) });
  const seconds: number[] = [];
  const yards: number[] = [];
  for (const take of takes) {
    const started = performance.now();
    const project = await projectFor(take, undefined, kit.fps);
    const { put } = finished(applyKit(project, kit));
    await bakeWhole(put.project, writtenKind('glb'), usualLimits(project.rig));
    seconds.push((performance.now() - started) / 1000);
    yards.push(yardstick());
  }
  // The first take compiles what the others run.
  const [own, yard] = [seconds, yards].map((all) => all.slice(1).sort((a, b) => a - b));
  return [
    {
      name: 'a kit of eight layers on a take of 20 s, 31 joints, few keys (one core)',
      unit: 's',
      value: own[TAKES >> 1],
      reference: null,
      ratio: null,
      yard: yard[TAKES >> 1],
      noise: (own[TAKES - 1] - own[0]) / own[TAKES >> 1],
    },
  ];
}
