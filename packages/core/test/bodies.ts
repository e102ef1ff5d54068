import type { Rig } from '../src/index.js';
import { rigOf } from './capture.js';

type Joint = [name: string, parent: number, translation: readonly [number, number, number]];
type Step = readonly [number, number, number];

/** Bodies are put together from chains of joints; what each joint is meant to be is written down beside it. */
export class Body {
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
export const counted = (count: number, name: (k: number) => string) =>
  Array.from({ length: count }, (_, k) => name(k + 1));

export function bird(): Body {
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

export function fish(): Body {
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
export function spider(
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

export function octopus(): Body {
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

export function beetle(): Body {
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
export function person(fingers: number, tails: number): Body {
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

export function dog(
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

export function centaur(): Body {
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

export function lobster(): Body {
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

export function dragon(): Body {
  const body = dog();
  const chest = body.joints.findIndex(([name]) => name === 'Chest');
  // A bat's wing has an arm, a hand and fingers.
  body.pair(chest, ['LeftWingArm', 'LeftWingForearm', 'LeftWingHand', 'LeftWingFinger1'], 'leftWing', [
    [0.25, 0.1, 0],
  ]);
  return body;
}

export function snake(): Body {
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
