import { describe, expect, it } from 'vitest';
import { random } from '../bench/subject.js';
import { keepContacts, projectFromTake } from '../src/edit/index.js';
import { evaluateFrames, poseBlock } from '../src/evaluate/index.js';
import { readTake } from '../src/format/index.js';
import {
  type CompiledStack,
  compileStack,
  evaluateStack,
  keyed,
  type Layer,
  newKey,
  newLayer,
  newTarget,
  type Project,
  restPose,
} from '../src/index.js';
import { findContacts } from '../src/make/index.js';
import { captureBytes } from './capture.js';

const METRES = 0.0564;
const RATE = 30;

/** A layer that turns some joints of the capture over its walk. */
function turning(name: string, joints: readonly string[], seed: number): Layer {
  const next = random(seed);
  const curve = () => ({ keys: [0, 40, 80, 120].map((frame) => newKey(frame, 12 * (next() - 0.5))) });
  const channels = joints.map((joint) => [joint, { rx: curve(), ry: curve() }]);
  return newLayer(name, 'additive', { id: name, content: keyed(Object.fromEntries(channels)) });
}

/** A walk under layers on the spine and legs and on the arms alone, which no foot hangs on; its contacts are held above. */
function subject(extra: { twice?: boolean; target?: boolean; above?: boolean }): Project {
  const { take } = readTake('01_01.bvh', captureBytes());
  const known = { ...take, contacts: findContacts(take, METRES) };
  const plain = { ...projectFromTake(known), metresPerUnit: METRES, fps: RATE };
  const layers = [
    turning('lean', ['Hips', 'Spine', 'LeftUpLeg', 'RightLeg'], 1),
    turning('arms', ['LeftArm', 'RightForeArm'], 2),
  ];
  if (extra.target) {
    const reach = newTarget('LeftHand', { at: { tx: 4, ty: 12, tz: 6 } });
    layers.push(newLayer('reach', 'override', { id: 'reach', content: keyed({}, [reach]), weight: 0.6 }));
  }
  const open: Project = { ...plain, range: [0, 120], layers: [...plain.layers, ...layers] };
  let kept = keepContacts(open)!.project;
  if (extra.twice) {
    const top = kept.layers[kept.layers.length - 1];
    const half = { ...top, id: 'again', name: 'Again', weight: 0.5 };
    kept = { ...kept, layers: [...kept.layers, turning('between', ['Hips', 'LeftLeg'], 3), half] };
  }
  if (extra.above) kept = { ...kept, layers: [...kept.layers, turning('above', ['Hips', 'RightArm'], 4)] };
  return kept;
}

/** Frames as they come while it plays, is scrubbed, goes round and plays slowly. */
function visits(): number[] {
  const next = random(9);
  const forth = Array.from({ length: 45 }, (_, k) => 20 + k);
  const slow = Array.from({ length: 20 }, (_, k) => 60 + k / 3);
  const jumps = Array.from({ length: 15 }, () => Math.round(240 * next()) / 2);
  return [...forth, ...slow, ...jumps, ...forth.slice(0, 20).reverse(), ...forth.map((frame) => frame + 40)];
}

const numbersOf = ({ translations, rotations, scales }: ReturnType<typeof restPose>): number[] => [
  ...translations,
  ...rotations,
  ...scales,
];

/** What a stack says that has seen no other frame. */
function alone(project: Project, frame: number): number[] {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  return numbersOf(pose);
}

describe('what contacts keep of frames ahead', () => {
  const SUBJECTS = [
    ['one layer of contacts', {}],
    ['layers above', { above: true }],
    ['two layers of contacts', { twice: true, above: true }],
    ['a target below', { target: true }],
    ['a target below two', { target: true, twice: true }],
  ] as const;

  it.each(SUBJECTS)('changes no bit of any frame, in whatever order they come: %s', (_, extra) => {
    const project = subject(extra);
    const stack = compileStack(project);
    const pose = restPose(project.rig);
    for (const [k, frame] of visits().entries()) {
      evaluateStack(stack, frame, pose);
      if (k % 3 === 0) expect(numbersOf(pose), `frame ${frame}, visit ${k}`).toEqual(alone(project, frame));
    }
  });

  it.each(SUBJECTS)('is that of the stack as it is after an edit while it plays: %s', (_, extra) => {
    let project = subject(extra);
    let stack: CompiledStack | undefined;
    const pose = restPose(project.rig);
    for (let frame = 30; frame < 75; frame++) {
      // The arms are nothing that the feet hang on, and are evaluated ahead with the rest all the same.
      if (frame % 7 === 0) {
        const index = project.layers.findIndex(({ id }) => id === (frame % 2 === 0 ? 'arms' : 'lean'));
        const layer = { ...project.layers[index], weight: frame / 100 };
        project = { ...project, layers: project.layers.with(index, layer) };
      }
      stack = compileStack(project, stack);
      evaluateStack(stack, frame, pose);
      if (frame % 7 < 3) expect(numbersOf(pose), `frame ${frame}`).toEqual(alone(project, frame));
    }
  });

  it('is the same many frames at once, between whole frames too', () => {
    const project = subject({ twice: true, above: true });
    const stack = compileStack(project);
    const block = poseBlock(project.rig);
    for (const step of [1, 0.25]) {
      const frames = Float64Array.from({ length: 32 }, (_, k) => 40 + step * k);
      evaluateFrames(stack, frames, frames.length, block);
      for (let k = 0; k < frames.length; k += 5)
        expect(numbersOf(block.poses[k]), `frame ${frames[k]}`).toEqual(alone(project, frames[k]));
    }
  });
});
