import { Document, WebIO } from '@gltf-transform/core';
import { VRMLoaderPlugin } from '@pixiv/three-vrm';
import { type VRMAnimation, VRMAnimationLoaderPlugin } from '@pixiv/three-vrm-animation';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { describe, expect, it } from 'vitest';
import { joinGlb, splitGlb } from '../src/format/gltf/glb.js';
import { readAnyTake, readGlbRig } from '../src/format/index.js';
import { findLimbs, findParts, mirrorOf, rolesOf } from '../src/rig/index.js';
import { faceAt } from '../src/take/index.js';

/** Humanoid bones of VRM 1.0 (the required ones, fingers of one hand, and some more), with the parent of each and its place. */
const BONES: readonly (readonly [bone: string, parent: string, at: readonly [number, number, number]])[] = [
  ['hips', '', [0, 0.9, 0]],
  ['spine', 'hips', [0, 0.1, 0]],
  ['chest', 'spine', [0, 0.15, 0]],
  ['upperChest', 'chest', [0, 0.12, 0]],
  ['neck', 'upperChest', [0, 0.15, 0]],
  ['head', 'neck', [0, 0.08, 0]],
  ['jaw', 'head', [0, 0, 0.05]],
  ...(['left', 'right'] as const).flatMap((side) => {
    const out = side === 'left' ? 1 : -1;
    return [
      [`${side}Shoulder`, 'upperChest', [0.04 * out, 0.1, 0]],
      [`${side}UpperArm`, `${side}Shoulder`, [0.1 * out, 0, 0]],
      [`${side}LowerArm`, `${side}UpperArm`, [0.25 * out, 0, -0.01]],
      [`${side}Hand`, `${side}LowerArm`, [0.25 * out, 0, 0]],
      [`${side}ThumbMetacarpal`, `${side}Hand`, [0.02 * out, 0, 0.02]],
      [`${side}ThumbProximal`, `${side}ThumbMetacarpal`, [0.03 * out, 0, 0]],
      [`${side}IndexProximal`, `${side}Hand`, [0.08 * out, 0, 0.02]],
      [`${side}IndexIntermediate`, `${side}IndexProximal`, [0.03 * out, 0, 0]],
      [`${side}UpperLeg`, 'hips', [0.09 * out, -0.03, 0]],
      [`${side}LowerLeg`, `${side}UpperLeg`, [0, -0.42, 0.01]],
      [`${side}Foot`, `${side}LowerLeg`, [0, -0.4, -0.01]],
      [`${side}Toes`, `${side}Foot`, [0, -0.05, 0.12]],
    ] as const;
  }),
];

/** A VRM 1.0 file whose nodes have names that mislead: only the extension says what they are. */
async function misnamed(): Promise<Uint8Array> {
  const made = new Document();
  const buffer = made.createBuffer();
  const skin = made.createSkin();
  const nodes = new Map(
    BONES.map(([bone, , at], k) => [
      bone,
      // A hand that is called a foot, all others by numbers.
      made.createNode(bone === 'leftHand' ? 'RightFoot' : `bip_${(7 * k) % 31}`).setTranslation([...at]),
    ]),
  );
  const scene = made.createScene();
  for (const [bone, parent] of BONES) {
    const node = nodes.get(bone)!;
    if (parent) nodes.get(parent)!.addChild(node);
    else scene.addChild(node);
    skin.addJoint(node);
  }
  const accessor = (type: 'VEC3' | 'VEC4', array: Float32Array | Uint8Array) =>
    made.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  const primitive = made
    .createPrimitive()
    .setAttribute('POSITION', accessor('VEC3', new Float32Array(9)))
    .setAttribute('JOINTS_0', accessor('VEC4', new Uint8Array(12)))
    .setAttribute('WEIGHTS_0', accessor('VEC4', Float32Array.from([1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0])));
  scene.addChild(made.createNode('body').setMesh(made.createMesh().addPrimitive(primitive)).setSkin(skin));
  const { json, bin, others } = splitGlb(await new WebIO().writeBinary(made));
  const gltf = JSON.parse(json);
  const indexOf = (bone: string) =>
    gltf.nodes.findIndex((node: { name: string }) => node.name === nodes.get(bone)!.getName());
  gltf.extensionsUsed = ['VRMC_vrm'];
  gltf.extensions = {
    VRMC_vrm: {
      specVersion: '1.0',
      meta: { name: 'Wick', authors: ['Evlay'], licenseUrl: 'https://vrm.dev/licenses/1.0/' },
      humanoid: { humanBones: Object.fromEntries(BONES.map(([bone]) => [bone, { node: indexOf(bone) }])) },
    },
  };
  return joinGlb({ json: JSON.stringify(gltf), bin, others });
}

describe('a VRM 1.0 character', () => {
  it('has the roles, parts, limbs and pairs that its humanoid bones say, whatever its nodes are called', async () => {
    const bytes = await misnamed();
    const rig = readGlbRig(bytes);
    const loader = new GLTFLoader();
    loader.register((parser) => new VRMLoaderPlugin(parser));
    const { userData } = await loader.parseAsync(bytes.slice().buffer, '');
    const jointOf = (bone: string): number => {
      const { name } = userData.vrm.humanoid.getRawBoneNode(bone);
      return rig.joints.findIndex((joint) => joint.name === name);
    };
    const roles = rolesOf(rig);
    for (const bone of ['hips', 'head', 'leftUpperArm', 'leftHand', 'rightLowerLeg', 'rightFoot', 'leftToes'])
      expect(roles[jointOf(bone)]?.role).toBe(bone);
    expect(roles[jointOf('upperChest')]?.role).toBe('spine3');
    expect(roles[jointOf('rightIndexIntermediate')]?.role).toBe('rightIndex2');
    const parts = findParts(rig);
    for (const [bone, part] of [
      ['leftHand', 'leftHand'],
      ['leftThumbProximal', 'leftHand'],
      ['rightShoulder', 'rightArm'],
      ['jaw', 'face'],
      ['rightToes', 'rightFoot'],
      ['upperChest', 'torso'],
    ])
      expect([bone, parts[jointOf(bone)]]).toEqual([bone, part]);
    expect(findLimbs(rig).map(({ name }) => name)).toEqual(
      expect.arrayContaining(['leftArm', 'rightArm', 'leftLeg', 'rightLeg', 'trunk']),
    );
    const { partners } = mirrorOf(rig);
    expect(partners[jointOf('leftLowerArm')]).toBe(jointOf('rightLowerArm'));
    expect(partners[jointOf('leftHand')]).toBe(jointOf('rightHand'));
  });
});

/** A motion of a humanoid as VRMC_vrm_animation-1.0 has it: turning bones, two expressions by their nodes, and where the eyes look. */
async function waving(): Promise<Uint8Array> {
  const made = new Document();
  const buffer = made.createBuffer();
  const accessor = (type: 'SCALAR' | 'VEC3' | 'VEC4', values: readonly number[]) =>
    made.createAccessor().setType(type).setArray(Float32Array.from(values)).setBuffer(buffer);
  const scene = made.createScene();
  const nodes = new Map(
    BONES.map(([bone, , at], k) => [bone, made.createNode(`n${k}`).setTranslation([...at])]),
  );
  for (const [bone, parent] of BONES) {
    if (parent) nodes.get(parent)!.addChild(nodes.get(bone)!);
    else scene.addChild(nodes.get(bone)!);
  }
  const signs = ['happy', 'shrug', 'gaze'].map((name) => made.createNode(`sign of ${name}`));
  for (const node of signs) scene.addChild(node);
  const clip = made.createAnimation('wave');
  const animate = (
    node: (typeof signs)[number],
    path: 'rotation' | 'translation',
    how: 'LINEAR' | 'CUBICSPLINE',
    times: readonly number[],
    values: readonly number[],
  ) => {
    const sampler = made
      .createAnimationSampler()
      .setInterpolation(how)
      .setInput(accessor('SCALAR', times))
      .setOutput(accessor(path === 'rotation' ? 'VEC4' : 'VEC3', values));
    clip
      .addSampler(sampler)
      .addChannel(made.createAnimationChannel().setTargetNode(node).setTargetPath(path).setSampler(sampler));
  };
  animate(
    nodes.get('leftUpperArm')!,
    'rotation',
    'LINEAR',
    [0, 0.5, 1],
    [0, 0, 0, 1, 0, 0, 0.6, 0.8, 0, 0, 0, 1],
  );
  animate(nodes.get('hips')!, 'translation', 'LINEAR', [0, 1], [0, 0.9, 0, 0, 0.9, 0.5]);
  animate(signs[0], 'translation', 'LINEAR', [0.1, 0.4, 0.9], [0, 0, 0, 1, 0, 0, 0.25, 0, 0]);
  animate(
    signs[1],
    'translation',
    'CUBICSPLINE',
    [0, 1],
    [0, 0, 0, 0.2, 0, 0, 1.5, 0, 0, -0.5, 0, 0, 0.8, 0, 0, 0, 0, 0],
  );
  const { json, bin, others } = splitGlb(await new WebIO().writeBinary(made));
  const gltf = JSON.parse(json);
  const indexOf = (name: string) => gltf.nodes.findIndex((node: { name: string }) => node.name === name);
  gltf.extensionsUsed = ['VRMC_vrm_animation'];
  gltf.extensions = {
    VRMC_vrm_animation: {
      specVersion: '1.0',
      humanoid: {
        humanBones: Object.fromEntries(BONES.map(([bone], k) => [bone, { node: indexOf(`n${k}`) }])),
      },
      expressions: {
        preset: { happy: { node: indexOf('sign of happy') } },
        custom: { shrug: { node: indexOf('sign of shrug') } },
      },
      lookAt: { node: indexOf('sign of gaze') },
    },
  };
  return joinGlb({ json: JSON.stringify(gltf), bin, others });
}

/** What three makes of a track to read it; its types leave it out. */
interface Interpolated {
  createInterpolant(room: Float32Array): { evaluate(time: number): Float32Array };
}

describe('a .vrma file', () => {
  it('is a take whose joints are the humanoid bones and whose expressions are face channels, as three-vrm reads it', async () => {
    const bytes = await waving();
    const { take } = await readAnyTake('wave.vrma', bytes);
    expect(take.name).toBe('wave');
    expect(take.rig.joints).toHaveLength(BONES.length);
    expect(take.rig.joints.map(({ bone }) => bone).sort()).toEqual(BONES.map(([bone]) => bone).sort());
    expect(take.rig.faces?.map(({ name }) => name).sort()).toEqual(['happy', 'shrug']);
    const loader = new GLTFLoader();
    loader.register((parser) => new VRMAnimationLoaderPlugin(parser));
    const { userData } = await loader.parseAsync(bytes.slice().buffer, '');
    const [animation] = userData.vrmAnimations as VRMAnimation[];
    const { preset, custom } = animation.expressionTracks;
    const spots = Array.from({ length: 41 }, (_, k) => k / 40);
    for (const [name, track] of [...preset, ...custom]) {
      const curve = take.faceCurves!.find(({ channel }) => channel === name)!;
      const { createInterpolant } = track as unknown as Interpolated;
      const read = createInterpolant.call(track, new Float32Array(1));
      // three-vrm keeps the values of cubic splines in rows of their own; straight ones are compared along the whole motion.
      if (curve.interpolation === 'LINEAR')
        for (const time of spots) expect(faceAt(curve, time)).toBeCloseTo(read.evaluate(time)[0], 6);
      else expect([...curve.values]).toEqual([0, 0.2, 1.5, -0.5, 0.8, 0].map((value) => Math.fround(value)));
      expect([...curve.times]).toEqual([...track.times]);
    }
    // The upper arm has turned as far as the file says, halfway through.
    const arm = take.rig.joints.findIndex(({ bone }) => bone === 'leftUpperArm');
    const entry = take.rotations.joints.indexOf(arm);
    const middle = Math.round(0.5 / take.interval);
    const o = 4 * (middle * take.rotations.joints.length + entry);
    expect([...take.rotations.values.subarray(o, o + 4)]).toEqual(
      [0, 0, 0.6, 0.8].map((v) => expect.closeTo(v, 6)),
    );
  });
});
