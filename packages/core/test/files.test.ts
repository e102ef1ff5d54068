import fc from 'fast-check';
import { strToU8, unzipSync, zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { FINDING_LIMITS } from '../src/check/index.js';
import {
  addLayer,
  addPoses,
  addProp,
  keepPickSet,
  keepView,
  keyPose,
  keyValue,
  projectFromTake,
  setLimb,
  setSpan,
  setValue,
} from '../src/edit/index.js';
import {
  FileError,
  posesText,
  readLimits,
  readPoses,
  readProject,
  readStack,
  readStackAgain,
  readTake,
  stackText,
  takeKey,
  writeProject,
} from '../src/format/index.js';
import {
  type CurveAddress,
  channelsOf,
  compileStack,
  evaluateStack,
  keyed,
  newKey,
  newLayer,
  type Project,
  restPose,
  tooManyKeys,
} from '../src/index.js';
import { findParts, limbsOf, partNames } from '../src/rig/index.js';
import { savePose } from '../src/solve/index.js';
import { anyGroundedProject } from './any-ground.js';
import { anyProject } from './any-stack.js';
import { captureBytes, rigOf } from './capture.js';

const bytes = captureBytes();

const stack = (layers: unknown[], more: object = {}) => ({
  format: 'evlay-stack',
  version: 1,
  fps: 120,
  range: [0, 100],
  layers: [{ name: 'Base', take: { file: 'a/01_01.bvh' } }, ...layers],
  ...more,
});

const read = (json: unknown) =>
  readStack(strToU8(typeof json === 'string' ? json : JSON.stringify(json)), 'Test', (name) =>
    name === 'a/01_01.bvh' ? { bytes } : undefined,
  );

const neck = (keys: unknown[]) => ({ name: 'Nod', mode: 'additive', channels: { Neck: { rx: { keys } } } });

const put = (values: object) => ({
  name: 'Put',
  targets: [{ joint: 'LeftFoot', at: { tx: 1, ty: 2, tz: 3 }, ...values }],
});
const feet = (spans: unknown[]) => ({ points: [{ joint: 'LeftFoot', floor: 0 }], spans });
const standing = (limbs: object) => ({ name: 'Feet', contacts: { fade: 4, hips: true, limbs } });

describe('a stack that is wrong', () => {
  it.each([
    ['not JSON', '{\n "format": evlay', 'line 2', /JSON/],
    ['another format', stack([], { format: 'x' }), 'format', /evlay-stack/],
    ['another version', stack([], { version: 2 }), 'version', /version 1/],
    ['an unknown field', stack([{ name: 'A', colour: 1 }]), 'layers[1].colour', /unknown field/],
    ['a missing field', { ...stack([]), fps: undefined }, 'fps', /expected/],
    [
      'a key that is no key',
      stack([
        neck([
          [0, 1],
          [5, 2],
          [7, 'x'],
        ]),
      ]),
      'layers[1].channels.Neck.rx.keys[2]',
      /\[frame, value\]/,
    ],
    [
      'keys out of order',
      stack([
        neck([
          [0, 1],
          [5, 2],
          [5, 3],
        ]),
      ]),
      'layers[1].channels.Neck.rx.keys[2]',
      /rising/,
    ],
    [
      'a number that is not finite',
      JSON.stringify(stack([neck([[0, 7]])])).replace('[0,7]', '[0,1e999]'),
      'layers[1].channels.Neck.rx.keys[0]',
      /frame, value/,
    ],
    [
      'an unknown joint',
      stack([{ name: 'A', channels: { Nose: { rx: { keys: [] } } } }]),
      'layers[1].channels.Nose',
      /unknown joint "Nose"/,
    ],
    [
      'an unknown joint with a factor',
      stack([{ name: 'A', joints: { Nose: 1 } }]),
      'layers[1].joints.Nose',
      /unknown joint/,
    ],
    ['an unknown part', stack([{ name: 'A', mask: { wing: 1 } }]), 'layers[1].mask.wing', /unknown part/],
    [
      'a joint in two parts',
      stack([], { parts: { one: ['Head'], two: ['Head'] } }),
      'parts.two[0]',
      /"one" too/,
    ],
    [
      'a weight curve that is empty',
      stack([{ name: 'A', weight: { keys: [] } }]),
      'layers[1].weight.keys',
      /at least one key/,
    ],
    ['a weight that is a word', stack([{ name: 'A', weight: 'full' }]), 'layers[1].weight', /a number or/],
    ['a file that is missing', stack([], { rig: 'wick.glb' }), 'rig', /missing/],
    [
      'an additive base',
      { ...stack([]), layers: [{ name: 'B', mode: 'additive' }] },
      'layers[0].mode',
      /override/,
    ],
    [
      'two layers of one id',
      stack([
        { name: 'A', id: 'a' },
        { name: 'B', id: 'a' },
      ]),
      'layers[2].id',
      /two layers/,
    ],
    [
      'a span that ends before it starts',
      stack([{ name: 'A', span: { start: 5, end: 2 } }]),
      'layers[1].span.end',
      /ends before/,
    ],
    [
      'world axes for a take',
      stack([{ name: 'A', axes: 'world', take: { file: '01_01.bvh' } }]),
      'layers[1].axes',
      /expected "joint"/,
    ],
    [
      'a loop of another kind',
      stack([{ ...neck([]), time: { loop: 'bounce' } }]),
      'layers[1].time.loop',
      /"repeat" or "travel"/,
    ],
    [
      'a cycle that ends before it starts',
      stack([{ ...neck([]), time: { loop: 'repeat', cycle: [9, 3] } }]),
      'layers[1].time.cycle',
      /ends before/,
    ],
    [
      'a cycle that would come round without end',
      stack([{ ...neck([]), time: { loop: 'repeat', cycle: [0, 1e-300] } }]),
      'layers[1].time.cycle',
      /0.001 frames or more/,
    ],
    ['a rate that no clip has', stack([], { fps: 100_000 }), 'fps', /up to 1000/],
    [
      'a limb of two joints',
      stack([], { limbs: { leg: { chain: ['LeftUpLeg', 'LeftLeg'], bend: [0, 0, 1] } } }),
      'limbs.leg.chain',
      /three joints/,
    ],
    [
      'a limb whose joints do not hang below each other',
      stack([], { limbs: { leg: { chain: ['LeftUpLeg', 'LeftFoot', 'LeftLeg'], bend: [0, 0, 1] } } }),
      'limbs.leg.chain[2]',
      /hang below "LeftFoot"/,
    ],
    [
      'a limb that bends along its bone',
      stack([], { limbs: { leg: { chain: ['Hips', 'LeftUpLeg', 'LeftLeg', 'LeftFoot'], bend: [0, 0, 0] } } }),
      'limbs.leg.bend',
      /direction/,
    ],
    [
      'a limb of a joint that is not there',
      stack([], { limbs: { leg: { chain: ['LeftUpLeg', 'Knee', 'LeftFoot'], bend: [0, 0, 1] } } }),
      'limbs.leg.chain[1]',
      /unknown joint "Knee"/,
    ],
    [
      'a reference that is no sample',
      stack([{ name: 'A', take: { file: '01_01.bvh', reference: -1 } }]),
      'layers[1].take.reference',
      /sample number/,
    ],
    [
      'a target of an unknown joint',
      stack([put({ joint: 'Tail' })]),
      'layers[1].targets[0].joint',
      /unknown joint "Tail"/,
    ],
    [
      'a target within a limb',
      stack([put({ joint: 'LeftLeg' })]),
      'layers[1].targets[0].joint',
      /within the limb “leftLeg”, expected its end LeftFoot/,
    ],
    [
      'a target in the space of what it moves',
      stack([put({ space: { joint: 'LeftLeg' } })]),
      'layers[1].targets[0].space',
      /hangs on what the target moves/,
    ],
    [
      'an additive target in a space',
      stack([{ ...put({ space: { joint: 'Head' } }), mode: 'additive' }]),
      'layers[1].targets[0].space',
      /expected no space/,
    ],
    [
      'a limb that does not stand',
      stack([standing({ leftWing: feet([[1, 2]]) })]),
      'layers[1].contacts.limbs.leftWing',
      /unknown limb/,
    ],
    [
      'spans that overlap',
      stack([
        standing({
          leftLeg: feet([
            [1, 20],
            [21, 30],
            [29.5, 40],
          ]),
        }),
      ]),
      'layers[1].contacts.limbs.leftLeg.spans[2]',
      /expected/,
    ],
    [
      'feet that turn as in a layer that is not below',
      stack([{ id: 'feet', name: 'Feet', contacts: { turn: 1, like: 'feet', limbs: {} } }]),
      'layers[1].contacts.like',
      /below/,
    ],
    [
      'contacts beside keys',
      stack([{ ...standing({}), channels: { Neck: { rx: { keys: [[0, 1]] } } } }]),
      'layers[1].contacts',
      /contacts/,
    ],
    [
      'a prop called as a joint',
      stack([], { props: [{ name: 'Head', at: [0, 0, 0], turn: [0, 0, 0] }] }),
      'props[0].name',
      /"Head" is the name/,
    ],
    [
      'a prop whose model is missing',
      stack([], { props: [{ name: 'barrel', file: 'barrel.glb', at: [0, 0, 0], turn: [0, 0, 0] }] }),
      'props[0].file',
      /barrel\.glb/,
    ],
  ])('%s: the place is named', async (_, json, where, message) => {
    const error = await read(json).catch((e) => e);
    expect(error).toBeInstanceOf(FileError);
    expect(error.where).toBe(where);
    expect(error.message).toMatch(message);
  });
});

const pose = (project: Project, frame: number) => {
  const out = restPose(project.rig);
  evaluateStack(compileStack(project), frame, out);
  return out;
};

describe('a project file', () => {
  const project = (() => {
    const base = projectFromTake(readTake('01_01.bvh', bytes).take);
    const { project: added, id } = addLayer(base, {
      mode: 'override',
      above: base.layers[0].id,
      joints: [20, 24],
      frame: 40,
    });
    let edited = keyPose(added, id, 60, { RightArm: { rx: 10, ry: 20.25, rz: -400 } });
    const part: CurveAddress = { kind: 'part', layer: id, part: 'rightArm' };
    edited = keyValue(setValue(edited, part, 0, 0.25), { kind: 'weight', layer: id }, 50, 0.5);
    edited = setSpan(edited, id, { start: 10, end: 90, fadeIn: 5, shape: 'linear' });
    return { ...edited, parts: edited.parts.with(3, 'cape') };
  })();

  it('tells how far reading is by the size of its files', async () => {
    const [take] = project.takes;
    const others = ['a', 'b', 'c'].map((id) => ({ ...take, id, source: { ...take.source, id } }));
    const told: number[] = [];
    const file = writeProject({ ...project, takes: [take, ...others] });
    await readProject(file, 'x.evlay', (done) => told.push(done));
    // Four takes of one size: before each, a quarter more is done, but for the texts beside them.
    for (const [k, part] of [0, 0.25, 0.5, 0.75].entries()) expect(told[k]).toBeCloseTo(part, 1);
    expect(told).toHaveLength(4);
  });

  it('comes back the same, with the take as the file that it came in', async () => {
    const file = writeProject(project);
    const { project: again, warnings } = await readProject(file, 'x.evlay');
    expect(warnings).toEqual([]);
    const text = (p: Project) => stackText(p, (id) => p.takes.find((take) => take.id === id)!.name);
    expect(text(again)).toBe(text(project));
    expect(again.name).toBe(project.name);
    expect(again.parts).toEqual(project.parts);
    expect(Buffer.compare(unzipSync(file)['takes/01_01.bvh'], bytes)).toBe(0);
    for (const frame of [12, 47.5, 89]) expect(pose(again, frame)).toEqual(pose(project, frame));
  });

  it('keeps what was said of limbs, poses, picked sets and views', async () => {
    const joints = project.rig.joints.slice(5, 9).map((_, k) => k + 5);
    const saved = savePose(project.rig, pose(project, 60), joints, {
      name: 'Bent',
      kind: 'part',
      tags: ['a'],
    });
    const chain = ['RightArm', 'RightForeArm', 'RightHand'];
    const kept = setLimb(setLimb(addPoses(project, [saved]), 'leftLeg', null), 'rightArm', {
      chain,
      bend: [0, 1, 0],
    });
    const all = keepView(keepPickSet(kept, { name: 'arm', joints: chain }), {
      name: 'low',
      from: [1, 2, 3],
      at: [0, 0, 0],
    });
    const { project: again } = await readProject(writeProject(all), 'x.evlay');
    expect([again.limbs, again.sets, again.views]).toEqual([all.limbs, all.sets, all.views]);
    const limbs = limbsOf(again.rig, again.limbs);
    expect(limbs.some(({ name }) => name === 'leftLeg')).toBe(false);
    expect(limbs.find(({ name }) => name === 'rightArm')).toEqual({
      name: 'rightArm',
      chain,
      bend: [0, 1, 0],
    });
    const [back] = again.poses;
    expect({ ...back, id: '', joints: [] }).toEqual({ ...saved, id: '', joints: [] });
    for (const [k, { name, role, turn }] of back.joints.entries()) {
      expect([name, role]).toEqual([saved.joints[k].name, saved.joints[k].role]);
      for (const [c, value] of turn.entries()) expect(value).toBeCloseTo(saved.joints[k].turn[c], 6);
    }
    // As a file of its own it comes back too, and one that is wrong says where.
    expect(readPoses('p.json', strToU8(posesText(all.poses)))[0].name).toBe('Bent');
    const wrong = posesText(all.poses).replace('"kind": "part"', '"kind": "leg"');
    expect(() => readPoses('p.json', strToU8(wrong))).toThrow(/poses\[0\]\.kind.*hand, part, whole/);
  });

  it('keeps props with their looks, and the limits of findings', async () => {
    const crate = {
      name: 'Crate',
      shape: 'cylinder',
      size: [1, 2, 1],
      at: [3, 1, 0],
      turn: [0, 30, 0],
    } as const;
    const limits = { ...FINDING_LIMITS, slide: [0.5, 1, 4] } as const;
    const { project: again } = await readProject(
      writeProject({ ...addProp(project, crate), limits }),
      'x.evlay',
    );
    expect(again.scene.props).toEqual([crate]);
    expect(again.limits).toEqual(limits);
    expect(again.rig.joints.at(-1)).toMatchObject({ name: 'Crate', parent: -1, translation: [3, 1, 0] });
    // As a file of their own they may leave out what is as usual, and must ascend.
    expect(readLimits('l.json', strToU8('{"slide": [0.5, 1, 4]}'))).toEqual(limits);
    for (const [text, message] of [
      ['{"slide": [2, 1, 4]}', /l\.json.*slide/],
      ['{"skid": [1, 2, 4]}', /l\.json.*skid/],
      ['{"pop": [1, 2]}', /l\.json.*pop/],
    ] as const)
      expect(() => readLimits('l.json', strToU8(text))).toThrow(message);
  });

  it('that is no zip, has no stack, or is cut off, is refused by name', async () => {
    const zip = writeProject(project);
    for (const [broken, message] of [
      [strToU8('hello'), /not a project/],
      [zip.subarray(0, zip.length - 30), /not a project/],
      [zipSync({ 'other.json': strToU8('{}') }), /stack\.json/],
      [new Uint8Array(0), /empty/],
    ] as const) {
      const error = await readProject(broken, 'bad.evlay').catch((e) => e);
      expect(error).toBeInstanceOf(FileError);
      expect(error.message).toMatch(message);
      expect(error.message).toContain('bad.evlay');
    }
  });
});

describe('parts', () => {
  it('are found on the capture (joint names of the Carnegie Mellon database)', () => {
    const { rig } = readTake('01_01.bvh', bytes).take;
    const parts = findParts(rig);
    const of = (name: string) => parts[rig.joints.findIndex((joint) => joint.name === name)];
    for (const [joint, part] of [
      ['Hips', 'hips'],
      ['LHipJoint', 'leftLeg'],
      ['RightLeg', 'rightLeg'],
      ['LeftToeBase', 'leftFoot'],
      ['LowerBack', 'torso'],
      ['Spine1', 'torso'],
      ['Neck1', 'neck'],
      ['Head', 'head'],
      ['LeftShoulder', 'leftArm'],
      ['RightForeArm', 'rightArm'],
      ['RightHand', 'rightHand'],
      ['LFingers', 'leftHand'],
      ['RThumb', 'rightHand'],
    ])
      expect(`${joint} ${of(joint)}`).toBe(`${joint} ${part}`);
  });

  it.each([
    // Names from ISO/IEC 19774 (H-Anim) and VRM 1.0, from memory.
    ['l_forearm', 'leftArm'],
    ['r_thigh', 'rightLeg'],
    ['r_talocrural', 'rightFoot'],
    ['leftUpperLeg', 'leftLeg'],
    ['leftToes', 'leftFoot'],
    ['rightThumbMetacarpal', 'rightHand'],
    ['upperChest', 'torso'],
    ['jaw', 'face'],
  ])('%s is in %s', (name, part) => {
    const rig = rigOf([
      ['hips', -1, [0, 1, 0]],
      ['spine', 0, [0, 1, 0]],
      ['head', 1, [0, 1, 0]],
      [name, 0, [0, 0, 0]],
    ]);
    expect(findParts(rig)[3]).toBe(part);
  });

  it('has four legs and a tail on an animal', () => {
    const names = [
      'Pelvis',
      'Spine',
      'Neck',
      'Head',
      'L_FrontLeg_Upper',
      'L_FrontPaw',
      'R_ForeLeg',
      'L_HindLeg',
      'R_HindFoot',
      'Tail1',
      'Tail2',
    ];
    const rig = rigOf(
      names.map((name, i) => [name, i === 0 ? -1 : [0, 0, 1, 2, 1, 4, 1, 0, 0, 0, 9][i], [0, 1, 0]] as const),
    );
    expect(findParts(rig)).toEqual([
      'hips',
      'torso',
      'neck',
      'head',
      'leftForeLeg',
      'leftForeFoot',
      'rightForeLeg',
      'leftHindLeg',
      'rightHindFoot',
      'tail',
      'tail',
    ]);
  });

  it('are found by shape where names say nothing, and any rig gets some', () => {
    const rig = rigOf([
      ['n0', -1, [0, 10, 0]],
      ['n1', 0, [1, -1, 0]],
      ['n2', 1, [0, -4, 0]],
      ['n3', 2, [0, -4, 0]],
      ['n4', 3, [0, -0.5, 1]],
      ['n5', 0, [-1, -1, 0]],
      ['n6', 5, [0, -4, 0]],
      ['n7', 6, [0, -4, 0]],
      ['n8', 7, [0, -0.5, 1]],
      ['n9', 0, [0, 2, 0]],
      ['n10', 9, [0, 3, 0]],
      ['n11', 10, [1, 0, 0]],
      ['n12', 11, [3, 0, 0]],
      ['n13', 12, [3, 0, 0]],
      ['n14', 10, [-1, 0, 0]],
      ['n15', 14, [-3, 0, 0]],
      ['n16', 15, [-3, 0, 0]],
      ['n17', 10, [0, 1, 0]],
      ['n18', 17, [0, 1, 0]],
    ]);
    const parts = findParts(rig);
    expect([parts[0], parts[2], parts[6], parts[9], parts[12], parts[15], parts[17], parts[18]]).toEqual([
      'hips',
      'leftLeg',
      'rightLeg',
      'torso',
      'leftArm',
      'rightArm',
      'neck',
      'head',
    ]);
    expect(partNames(findParts(rigOf([['box', -1, [0, 0, 0]]])))).toEqual(['other']);
  });
});

describe('a stack', () => {
  it('comes back from its file with every feature', () => {
    fc.assert(
      fc.property(fc.oneof(anyProject, anyGroundedProject), (project) => {
        const text = stackText(project, (id) => id);
        const again = readStackAgain(
          new TextEncoder().encode(text),
          project.name,
          project,
          // A sample as reference is refused where the keys of a face are at uneven times.
          new Map(
            project.takes.map(({ faceCurves: _, ...take }) => [takeKey({ file: take.id }), take] as const),
          ),
          undefined,
          () => undefined,
        );
        expect(JSON.parse(stackText(again, (id) => id))).toEqual(JSON.parse(text));
      }),
      { numRuns: 300 },
    );
  });
});

describe('as many keys as there may be', () => {
  it('are read back, with handles on each, and one more is refused before anything is written', async () => {
    const open = projectFromTake(readTake('01_01.bvh', captureBytes()).take);
    const keys = (count: number) =>
      Array.from({ length: count }, (_, k) => ({
        ...newKey(k, Math.sin(k), 'bezier'),
        in: [-0.3, 0.1] as const,
        out: [0.3, -0.1] as const,
      }));
    const withKeys = (count: number): Project => ({
      ...open,
      layers: [
        ...open.layers,
        newLayer('many', 'additive', {
          content: keyed({ Head: { rx: { keys: keys(count / 2) }, ry: { keys: keys(count - count / 2) } } }),
        }),
      ],
    });
    expect(tooManyKeys(withKeys(400_002))).toMatch(/400,002 keys, and up to 400,000/);
    const most = withKeys(400_000);
    expect(tooManyKeys(most)).toBeUndefined();
    const { project } = await readProject(writeProject(most), 'many.evlay');
    expect(channelsOf(project.layers[1]).Head.ry!.keys.length).toBe(200_000);
  });
});
