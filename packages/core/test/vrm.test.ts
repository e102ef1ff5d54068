import { Document, WebIO } from '@gltf-transform/core';
import { VRMLoaderPlugin } from '@pixiv/three-vrm';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { describe, expect, it } from 'vitest';
import { joinGlb, splitGlb } from '../src/format/gltf/glb.js';
import { readGlbRig } from '../src/format/index.js';
import { findLimbs, findParts, mirrorOf, rolesOf } from '../src/rig/index.js';

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
