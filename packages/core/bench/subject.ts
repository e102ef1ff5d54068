import { projectFromTake } from '../src/edit/index.js';
import {
  type Curve,
  keyed,
  type Mode,
  newKey,
  newLayer,
  type Project,
  playing,
  type Rig,
  type Take,
} from '../src/index.js';
import { emptyTrack, type Track } from '../src/take/index.js';

/** What is measured on: rigs, takes and stacks of a given size, the same in every run. */

/** A small generator of even numbers in [0, 1) with a seed (mulberry32). */
export function random(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

export function rigOfSize(joints: number): Rig {
  return {
    joints: Array.from({ length: joints }, (_, j) => ({
      name: `joint${j}`,
      parent: j === 0 ? -1 : j % 5 === 0 ? Math.floor(j / 2) : j - 1,
      translation: [0, 0.1, 0] as const,
      rotation: [0, 0, 0, 1] as const,
      scale: [1, 1, 1] as const,
      order: 'ZYX' as const,
      ends: [],
      channels: [],
    })),
  };
}

export function takeOfSize(rig: Rig, count: number, seed: number): Take {
  const next = random(seed);
  const joints = Int32Array.from({ length: rig.joints.length }, (_, j) => j);
  const rotations: Track = { joints, size: 4, values: new Float64Array(4 * count * joints.length) };
  const translations: Track = { joints: Int32Array.of(0), size: 3, values: new Float64Array(3 * count) };
  for (let i = 0; i < rotations.values.length; i += 4) {
    const q = [next() - 0.5, next() - 0.5, next() - 0.5, 1 + next()];
    const length = Math.hypot(...q);
    for (let c = 0; c < 4; c++) rotations.values[i + c] = q[c] / length;
  }
  for (let i = 0; i < translations.values.length; i++) translations.values[i] = next();
  return {
    id: `take${seed}`,
    name: `take${seed}`,
    rig,
    source: { id: `take${seed}`, file: `take${seed}.bvh`, bytes: new Uint8Array() },
    count,
    interval: 1 / 30,
    rotations,
    translations,
    scales: { joints: new Int32Array(0), size: 3, values: new Float64Array(0) },
    faces: emptyTrack(1),
  };
}

/** A base take under layers of keyed curves on every joint, additive and override by turns. */
export function keyedStack(rig: Rig, base: Take, layers: number): Project {
  const next = random(layers);
  const project = projectFromTake(base);
  const curve = () => ({ keys: [0, 20, 40, 60, 90].map((frame) => newKey(frame, 20 * (next() - 0.5))) });
  const added = Array.from({ length: layers }, (_, i) =>
    newLayer(`Layer ${i}`, i % 2 === 0 ? 'additive' : 'override', {
      weight: { keys: [newKey(0, 0.2), newKey(50, 0.9), newKey(90, 0.3)] },
      content: keyed(
        Object.fromEntries(
          rig.joints.map((joint) => [joint.name, { rx: curve(), ry: curve(), rz: curve() }]),
        ),
      ),
    }),
  );
  return { ...project, layers: [...project.layers, ...added] };
}

/** A weight that comes and goes between 0.1 and 0.6, other for every layer. */
export function weightCurve(seed: number): Curve {
  const next = random(seed);
  return { keys: [0, 20, 45, 70, 100].map((frame) => newKey(frame, 0.1 + 0.5 * next())) };
}

/** A base take under layers that are takes themselves, all of one mode. */
export function takeStack(base: Take, takes: readonly Take[], mode: Mode, weight: number): Project {
  const project = projectFromTake(base);
  const layers = takes.map((take) => newLayer(take.name, mode, { weight, content: playing(take.id) }));
  return { ...project, takes: [base, ...takes], layers: [...project.layers, ...layers] };
}
