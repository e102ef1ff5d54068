import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { readGlbRig } from '../src/format/index.js';
import type { Rig } from '../src/index.js';
import { findLimbs, findParts, limbRefusal, mirrorOf, partNames, partsInSet } from '../src/rig/index.js';
import { rigOf } from './capture.js';

type Joint = [name: string, parent: number, translation: readonly [number, number, number]];
type Step = readonly [number, number, number];

/** Bodies are put together from chains of joints; what each joint is meant to be is written down beside it. */
class Body {
  readonly joints: Joint[] = [];
  readonly meant: string[] = [];

  /** A chain below a joint, one name and part for each step; gives the index of its last joint. */
  chain(
    parent: number,
    names: readonly string[],
    part: string | readonly string[],
    steps: readonly Step[],
  ): number {
    let above = parent;
    for (const [k, name] of names.entries()) {
      this.joints.push([name, above, steps[Math.min(k, steps.length - 1)]]);
      this.meant.push(typeof part === 'string' ? part : part[Math.min(k, part.length - 1)]);
      above = this.joints.length - 1;
    }
    return above;
  }

  /** The same chain on either side: `L` in the names becomes `R`, left goes to right. */
  pair(
    parent: number,
    names: readonly string[],
    part: string | readonly string[],
    steps: readonly Step[],
  ): void {
    this.chain(parent, names, part, steps);
    const other = (text: string) => text.replace('left', 'right');
    this.chain(
      parent,
      names.map((name) => name.replace('Left', 'Right').replace(/\.L$/, '.R').replace(/^L_/, 'R_')),
      typeof part === 'string' ? other(part) : part.map(other),
      steps.map(([x, y, z]) => [-x, y, z] as const),
    );
  }

  /** The rig, and what its joints are meant to be, depth first; with plain names nothing but its shape tells what it is. */
  build(plain = false): { rig: Rig; meant: string[] } {
    const order: number[] = [];
    const visit = (j: number) => {
      order.push(j);
      for (const [k, [, parent]] of this.joints.entries()) if (parent === j) visit(k);
    };
    visit(0);
    const joints = order.map((j, at): Joint => {
      const [name, parent, translation] = this.joints[j];
      return [plain ? `b${at}` : name, order.indexOf(parent), translation];
    });
    return { rig: rigOf(joints), meant: order.map((j) => this.meant[j]) };
  }
}

/** Names with a number, from 1 on. */
const counted = (count: number, name: (k: number) => string) =>
  Array.from({ length: count }, (_, k) => name(k + 1));

function bird(): Body {
  const body = new Body();
  body.chain(-1, ['Pelvis'], 'hips', [[0, 0.3, 0]]);
  const chest = body.chain(0, ['Spine', 'Chest'], 'torso', [[0, 0.02, 0.1]]);
  const head = body.chain(chest, ['Neck1', 'Neck2', 'Head'], ['neck', 'neck', 'head'], [[0, 0.06, 0.06]]);
  body.chain(head, ['Beak'], 'face', [[0, 0, 0.05]]);
  body.pair(chest, ['WingLeft1', 'WingLeft2', 'WingLeft3', 'FeatherLeft'], 'leftWing', [
    [0.05, 0, 0],
    [0.2, 0, -0.02],
    [0.2, 0, 0.02],
    [0.2, 0, -0.05],
  ]);
  body.pair(
    0,
    ['ThighLeft', 'ShinLeft', 'FootLeft', 'ToesLeft'],
    ['leftLeg', 'leftLeg', 'leftFoot'],
    [
      [0.04, -0.05, 0],
      [0, -0.1, 0.02],
      [0, -0.12, -0.02],
      [0, -0.03, 0.05],
    ],
  );
  body.chain(0, ['Tail', 'TailFan'], 'tail', [[0, 0, -0.1]]);
  return body;
}

function fish(): Body {
  const body = new Body();
  body.chain(-1, ['Root'], 'hips', [[0, 0.5, 0]]);
  const chest = body.chain(0, ['Spine1', 'Spine2'], 'torso', [[0, 0, 0.15]]);
  body.chain(chest, ['Head'], 'head', [[0, 0, 0.15]]);
  body.pair(chest, ['PectoralFin1.L', 'PectoralFin2.L', 'PectoralFin3.L'], 'leftFin', [[0.05, -0.02, -0.01]]);
  body.chain(0, ['Tail1', 'Tail2', 'Tail3', 'TailFin'], 'tail', [[0, 0, -0.12]]);
  body.chain(chest, ['DorsalFin'], 'fin', [[0, 0.08, -0.02]]);
  return body;
}

/** Eight legs, or as many as said: those in front reach ahead, those behind back. */
function spider(
  legs = 4,
  name = (k: number, side: string, which: string) => `${side}_leg${k}_${which}`,
): Body {
  const body = new Body();
  body.chain(-1, ['cephalothorax'], 'torso', [[0, 0.2, 0]]);
  body.chain(0, ['abdomen'], 'torso', [[0, 0.05, -0.2]]);
  for (let k = 1; k <= legs; k++) {
    const way = 0.15 - (0.3 * (k - 1)) / Math.max(1, legs - 1);
    for (const side of ['L', 'R'] as const) {
      const out = side === 'L' ? 1 : -1;
      const part = `${side === 'L' ? 'left' : 'right'}Leg${k}`;
      body.chain(
        0,
        ['coxa', 'femur', 'tibia', 'tarsus'].map((which) => name(k, side, which)),
        [part, part, part, part.replace('Leg', 'Foot')],
        [
          [0.05 * out, 0, 0.4 * way],
          [0.12 * out, 0.15, 0.5 * way],
          [0.15 * out, -0.2, 0.5 * way],
          [0.05 * out, -0.15, 0],
        ],
      );
    }
  }
  return body;
}

function octopus(): Body {
  const body = new Body();
  body.chain(-1, ['Mantle'], 'torso', [[0, 0.5, 0]]);
  body.chain(0, ['Head'], 'head', [[0, 0.1, 0]]);
  for (let k = 1; k <= 8; k++) {
    const [x, z] = [Math.sin((k * Math.PI) / 4), Math.cos((k * Math.PI) / 4)];
    const names = counted(6, (n) => `Tentacle${k}_${n}`);
    body.chain(0, names, `tentacle${k}`, [[0.1 * x, -0.05, 0.1 * z]]);
  }
  return body;
}

function beetle(): Body {
  const body = new Body();
  body.chain(-1, ['Thorax'], 'torso', [[0, 0.1, 0]]);
  const head = body.chain(0, ['Head'], 'head', [[0, 0, 0.08]]);
  body.pair(head, ['LeftAntenna1', 'LeftAntenna2', 'LeftAntenna3'], 'leftAntenna', [[0.02, 0.02, 0.05]]);
  body.pair(head, ['LeftMandible'], 'face', [[0.02, 0, 0.03]]);
  for (const [which, z] of [
    ['Front', 0.05],
    ['Mid', 0],
    ['Hind', -0.05],
  ] as const) {
    const part = `left${which === 'Front' ? 'Fore' : which}Leg`;
    body.pair(
      0,
      ['Leg', 'Knee', 'Foot'].map((one) => `Left${which}${one}`),
      [part, part, part.replace('Leg', 'Foot')],
      [
        [0.05, 0.02, z],
        [0.08, 0, z],
        [0.02, -0.12, 0],
      ],
    );
  }
  body.pair(0, ['LeftWing', 'LeftWingTip'], 'leftWing', [[0.02, 0.05, -0.1]]);
  return body;
}

/** A person with the given number of fingers a hand, a face of joints, and horns of tails. */
function person(fingers: number, tails: number): Body {
  const body = new Body();
  body.chain(-1, ['Hips'], 'hips', [[0, 1, 0]]);
  const chest = body.chain(0, ['Spine', 'Chest'], 'torso', [[0, 0.2, 0]]);
  const head = body.chain(chest, ['Neck', 'Head'], ['neck', 'head'], [[0, 0.15, 0]]);
  body.chain(head, ['Jaw', 'LowerLip'], 'face', [[0, -0.02, 0.05]]);
  for (const one of ['Eye', 'Brow', 'UpperLid', 'LipCorner'])
    body.pair(head, [`Left${one}`], 'face', [[0.03, 0.05, 0.06]]);
  body.pair(
    chest,
    ['LeftShoulder', 'LeftArm', 'LeftForeArm', 'LeftHand'],
    ['leftArm', 'leftArm', 'leftArm', 'leftHand'],
    [
      [0.1, 0.1, 0],
      [0.1, 0, 0],
      [0.25, 0, -0.01],
      [0.25, 0, 0],
    ],
  );
  const hands = body.joints.flatMap(([name], j) => (/Hand$/.test(name) ? [j] : []));
  for (const hand of hands) {
    const left = body.joints[hand][0].startsWith('Left');
    for (let k = 1; k <= fingers; k++)
      body.chain(
        hand,
        counted(3, (n) => `${left ? 'Left' : 'Right'}Finger${k}_${n}`),
        left ? 'leftHand' : 'rightHand',
        [[left ? 0.03 : -0.03, 0, 0.02 * k]],
      );
  }
  body.pair(
    0,
    ['LeftUpLeg', 'LeftLeg', 'LeftFoot', 'LeftToe'],
    ['leftLeg', 'leftLeg', 'leftFoot'],
    [
      [0.1, 0, 0],
      [0, -0.45, 0.01],
      [0, -0.45, -0.01],
      [0, -0.05, 0.1],
    ],
  );
  for (let k = 1; k <= tails; k++)
    body.chain(
      0,
      counted(4, (n) => `Tail${k}_${n}`),
      tails > 1 ? `tail${k}` : 'tail',
      [[0.05 * (k - 1.5), 0, -0.1]],
    );
  return body;
}

function dog(
  words = ['FrontUpperLeg', 'FrontLowerLeg', 'FrontPaw', 'RearUpperLeg', 'RearLowerLeg', 'RearPaw'],
): Body {
  const body = new Body();
  body.chain(-1, ['Pelvis'], 'hips', [[0, 0.6, 0]]);
  const chest = body.chain(0, ['Spine1', 'Spine2', 'Chest'], 'torso', [[0, 0, 0.2]]);
  const head = body.chain(chest, ['Neck', 'Head'], ['neck', 'head'], [[0, 0.1, 0.12]]);
  body.pair(head, ['LeftEar'], 'head', [[0.04, 0.06, 0]]);
  const leg = [
    [0.1, -0.05, 0],
    [0, -0.25, 0],
    [0, -0.28, 0],
  ] as const;
  const named = (from: number) => words.slice(from, from + 3).map((word) => `Left${word}`);
  body.pair(chest, named(0), ['leftForeLeg', 'leftForeLeg', 'leftForeFoot'], leg);
  body.pair(0, named(3), ['leftHindLeg', 'leftHindLeg', 'leftHindFoot'], leg);
  body.chain(
    0,
    counted(3, (n) => `Tail${n}`),
    'tail',
    [[0, 0.02, -0.12]],
  );
  return body;
}

function centaur(): Body {
  const body = dog();
  const chest = body.joints.findIndex(([name]) => name === 'Chest');
  body.pair(
    chest,
    ['LeftUpperArm', 'LeftForearm', 'LeftHand'],
    ['leftArm', 'leftArm', 'leftHand'],
    [[0.15, 0.1, 0]],
  );
  return body;
}

function lobster(): Body {
  const body = spider(3);
  body.pair(
    0,
    ['L_arm_upper', 'L_arm_lower', 'L_pincer'],
    ['leftArm', 'leftArm', 'leftHand'],
    [[0.08, 0, 0.15]],
  );
  body.chain(
    1,
    counted(4, (n) => `tail_${n}`),
    'tail',
    [[0, 0, -0.1]],
  );
  return body;
}

function dragon(): Body {
  const body = dog();
  const chest = body.joints.findIndex(([name]) => name === 'Chest');
  // A bat's wing has an arm, a hand and fingers.
  body.pair(chest, ['LeftWingArm', 'LeftWingForearm', 'LeftWingHand', 'LeftWingFinger1'], 'leftWing', [
    [0.25, 0.1, 0],
  ]);
  return body;
}

function snake(): Body {
  const body = new Body();
  body.chain(-1, ['Root'], 'hips', [[0, 0.05, 0]]);
  const neck = body.chain(
    0,
    counted(8, (n) => `Spine${n}`),
    'torso',
    [[0, 0, 0.1]],
  );
  body.chain(neck, ['Head', 'Jaw'], ['head', 'face'], [[0, 0, 0.08]]);
  body.chain(
    0,
    counted(8, (n) => `Tail${n}`),
    'tail',
    [[0, 0, -0.1]],
  );
  return body;
}

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
