import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { readGlbRig } from '../src/format/index.js';
import type { Rig } from '../src/index.js';
import { findLimbs, findParts, limbRefusal, mirrorOf, partNames, partsInSet } from '../src/rig/index.js';
import {
  type Body,
  beetle,
  bird,
  centaur,
  counted,
  dog,
  dragon,
  fish,
  lobster,
  octopus,
  person,
  snake,
  spider,
} from './bodies.js';

const BODIES: readonly (readonly [string, Body, limbs: readonly string[]])[] = [
  ['a bird', bird(), ['leftWing', 'rightWing', 'leftLeg', 'rightLeg']],
  ['a fish', fish(), ['leftFin', 'rightFin', 'tail']],
  ['a spider', spider(), counted(4, (k) => `leftLeg${k}`)],
  [
    'a spider whose legs are only counted',
    spider(4, (k, side, which) => `Leg${2 * k - (side === 'L' ? 1 : 0)} ${which}`),
    counted(4, (k) => `rightLeg${k}`),
  ],
  ['an insect of six numbered legs', spider(3), counted(3, (k) => `leftLeg${k}`)],
  [
    'a beetle with fore, mid and hind legs',
    beetle(),
    ['leftForeLeg', 'rightMidLeg', 'leftHindLeg', 'leftAntenna'],
  ],
  ['an octopus', octopus(), counted(8, (k) => `tentacle${k}`)],
  ['a person with three fingers and a face of joints', person(3, 0), ['leftArm', 'rightLeg', 'trunk']],
  ['a person with six fingers and three tails', person(6, 3), ['leftArm', 'tail1', 'tail2', 'tail3']],
  ['a dog', dog(), ['leftForeLeg', 'rightHindLeg', 'tail', 'trunk']],
  [
    'a dog whose legs have one name',
    dog(['UpLegA', 'ShinA', 'PawA', 'UpLegB', 'ShinB', 'PawB']),
    ['leftForeLeg', 'rightHindLeg'],
  ],
  ['a centaur', centaur(), ['leftArm', 'leftForeLeg', 'rightHindLeg']],
  ['a lobster', lobster(), ['leftArm', 'leftLeg1', 'rightLeg3', 'tail']],
  ['a dragon', dragon(), ['leftWing', 'rightForeLeg', 'leftHindLeg', 'tail']],
  ['a snake', snake(), ['trunk', 'tail']],
];

describe('bodies of any kind', () => {
  it.each(BODIES)('%s: each joint is in the part that it was made for', (_, body) => {
    const { rig, meant } = body.build();
    const parts = findParts(rig);
    const wrong = rig.joints.flatMap(({ name }, j) =>
      parts[j] === meant[j] ? [] : [`${name}: ${parts[j]}, not ${meant[j]}`],
    );
    expect(wrong).toEqual([]);
    expect(partNames(parts).sort()).toEqual([...new Set(meant)].sort());
  });

  it.each(BODIES)('%s: its limbs can reach, and both sides are pairs', (_, body, wanted) => {
    const { rig, meant } = body.build();
    const limbs = findLimbs(rig);
    expect(limbs.map(({ name }) => name)).toEqual(expect.arrayContaining([...wanted]));
    expect(new Set(limbs.map(({ name }) => name)).size).toBe(limbs.length);
    for (const limb of limbs) expect(limbRefusal(rig, limb)).toBeUndefined();
    const { partners } = mirrorOf(rig);
    const other = (part: string) =>
      part.replace(/left|right/, (side) => (side === 'left' ? 'right' : 'left'));
    for (const [j, part] of meant.entries())
      if (/^(left|right)/.test(part)) expect(meant[partners[j]]).toBe(other(part));
  });

  it('halves of the body take in limbs that are numbered', () => {
    const parts = findParts(spider().build().rig);
    expect(partsInSet(parts, 'legs')).toHaveLength(16);
    expect(partsInSet(parts, 'left')).toHaveLength(8);
    expect(partsInSet(findParts(bird().build().rig), 'arms')).toEqual(['leftWing', 'rightWing']);
  });

  it.each([
    ['a dog', dog(), 'tail'],
    ['a spider', spider(), 'hips'],
    ['a bird', bird(), 'tail'],
    ['a fish', fish(), 'tail'],
  ])('%s without a name that says anything: limbs by its shape', (_, body, also) => {
    const { rig, meant } = body.build(true);
    const parts = findParts(rig);
    const limbs = meant.flatMap((part, j) => (/^(left|right)/.test(part) ? [j] : []));
    const found = limbs.filter((j) => parts[j].replace('Foot', 'Leg') === meant[j].replace('Foot', 'Leg'));
    expect(found.length / limbs.length).toBe(1);
    expect(parts).toContain(also);
  });
});

/** A model of Debian's assimp-testmodels, which its `assimp` puts into glTF. */
function exported(model: string): Rig {
  const glb = join(mkdtempSync(join(tmpdir(), 'evlay-')), 'out.glb');
  execFileSync('assimp', ['export', `/usr/share/assimp/models/${model}`, glb], { stdio: 'ignore' });
  return readGlbRig(readFileSync(glb));
}

/** Joints of a model as its makers named them, with the part that each is in as one reads it off the name. */
const MODELS: readonly (readonly [model: string, joints: Readonly<Record<string, string>>])[] = [
  [
    'X/BCN_Epileptic.X',
    {
      B_Jaw: 'face',
      B_LowerLip: 'face',
      B_MouthCorner_Left: 'face',
      B_EyeBrow_Right: 'face',
      B_UpperEyeLid_Left: 'face',
      B_Cheek_Right: 'face',
      B_Eye_Left: 'face',
      B_PTail3: 'head',
      B_Finger3_Left: 'leftHand',
      B_Thumb1_Right: 'rightHand',
      B_ForeArm_Left: 'leftArm',
      B_Knee_Right: 'rightLeg',
      B_Toe_Left: 'leftFoot',
      B_Spine2: 'torso',
    },
  ],
  [
    'X/Testwuson.X',
    {
      ForeLeg_L_01: 'leftForeLeg',
      ForeLeg_R_04: 'rightForeLeg',
      HindLeg_L_02: 'leftHindLeg',
      Ear_R: 'head',
      Mouth: 'face',
      Tail06: 'tail',
      Spine_Front03: 'torso',
      Neck: 'neck',
    },
  ],
];

describe('rigs of others', () => {
  it.each(MODELS)('%s (assimp-testmodels)', (model, joints) => {
    const rig = exported(model);
    const parts = findParts(rig);
    const found = Object.keys(joints).map((name) => [
      name,
      parts[rig.joints.findIndex((joint) => joint.name.replace(/[^\w]/g, '_').startsWith(name))],
    ]);
    expect(Object.fromEntries(found)).toEqual(joints);
    for (const limb of findLimbs(rig)) expect(limbRefusal(rig, limb)).toBeUndefined();
  });

  it.each(['FBX/huesitos.fbx', 'FBX/animation_with_skeleton.fbx', 'MD5/SimpleCube.md5mesh'])(
    '%s (assimp-testmodels), whose names say nothing, gets parts all the same',
    (model) => {
      const rig = exported(model);
      expect(findParts(rig)).toHaveLength(rig.joints.length);
      expect(partNames(findParts(rig))).not.toEqual(['other']);
      for (const limb of findLimbs(rig)) expect(limbRefusal(rig, limb)).toBeUndefined();
    },
  );
});
