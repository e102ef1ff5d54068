import {
  addFollowLayer,
  overlap,
  posesBelow,
  projectFromTake,
  putFollow,
  putNoise,
} from '../src/edit/index.js';
import { keyed, newKey, newLayer, type Project } from '../src/index.js';
import { type Line, measure } from './measure.js';
import { random, rigOfSize, takeOfSize } from './subject.js';

/** Noise, overlap and chains that follow, of 60 joints over 1,000 frames of motion that is keyed on every tenth. */
export function motionLines(): Line[] {
  const rig = rigOfSize(65);
  const take = takeOfSize(rig, 2, 1);
  const names = rig.joints.slice(5).map(({ name }) => name);
  const next = random(7);
  const curve = () => ({ keys: Array.from({ length: 100 }, (_, k) => newKey(10 * k, 20 * (next() - 0.5))) });
  const keys = keyed(
    Object.fromEntries(names.map((name) => [name, { rx: curve(), ry: curve(), rz: curve() }])),
  );
  const base = projectFromTake(take);
  const project: Project = {
    ...base,
    range: [0, 999],
    layers: [newLayer('Base', 'override'), newLayer('Layer', 'additive', { id: 'layer', content: keys })],
  };
  const on = {
    joints: names,
    channels: ['rx', 'ry', 'rz'] as const,
    angle: 3,
    length: 0,
    scale: 0,
    frequency: 1,
    everyFrame: false,
  };
  // Chains of six joints: what is the child of whom is said by the rig, whatever its parents are.
  const chains: number[][] = [];
  for (let j = 5; j + 6 <= rig.joints.length; j += 6) {
    const chain = Array.from({ length: 6 }, (_, k) => j + k);
    chains.push([rig.joints[j].parent, ...chain]);
  }
  const added = addFollowLayer(project, chains);
  const below = posesBelow(added.project, 2);
  const how = { chains, frequency: 1.5, damping: 0.5, lag: 0, hang: 0, gap: 3 };
  let seed = 0;
  return [
    measure('noise on 60 joints over 1,000 frames', 'ms', 1e3, 1, () =>
      putNoise(project, 'layer', { ...on, seed: ++seed }),
    ),
    measure('overlap of 60 joints over 1,000 frames', 'ms', 1e3, 1, () =>
      overlap(project, 'layer', { joints: names, frames: 0.5 + (++seed % 5), growth: 0.95 }),
    ),
    measure('60 joints that follow over 1,000 frames', 'ms', 1e3, 1, () =>
      putFollow(added.project, added.id, { ...how, damping: 0.5 + (++seed % 5) / 10 }, below),
    ),
  ];
}
