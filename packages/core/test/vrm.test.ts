import { Document, WebIO } from '@gltf-transform/core';
import { VRMLoaderPlugin } from '@pixiv/three-vrm';
import {
  createVRMAnimationClip,
  type VRMAnimation,
  VRMAnimationLoaderPlugin,
} from '@pixiv/three-vrm-animation';
import { validateBytes } from 'gltf-validator';
import { AnimationMixer, type Mesh, Vector3 } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { describe, expect, it } from 'vitest';
import { BRINDLE } from '../../demo/src/brindle/skeleton.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { bakeBlock, planBake } from '../src/bake/index.js';
import { projectFromCharacter } from '../src/edit/index.js';
import { joinGlb, splitGlb } from '../src/format/gltf/glb.js';
import {
  kindOf,
  readAnyTake,
  readCharacter,
  readGlbRig,
  readSkeleton,
  targetWeight,
  writeOnCharacter,
  writeWhole,
} from '../src/format/index.js';
import { humanBones } from '../src/format/vrm/write-vrma.js';
import { compileStack, evaluateStack, keyed, newKey, newLayer, type Rig, restPose } from '../src/index.js';
import { keysFromSamples } from '../src/keys/index.js';
import { findLimbs, findParts, globalMatrices, mirrorOf, rolesOf } from '../src/rig/index.js';
import { emptyTrack, everyMember, faceAt, readSample } from '../src/take/index.js';
import { animating } from './clips.js';

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
  made.createBuffer();
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
  const animate = animating(made, clip);
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

/** The character above with two morph targets, two expressions that move them, one that paints, and a chain that swings. */
async function expressive(): Promise<Uint8Array> {
  const { json, bin, others } = splitGlb(await misnamed());
  const gltf = JSON.parse(json);
  const body = gltf.nodes.findIndex((node: { mesh?: number }) => node.mesh !== undefined);
  const [mesh] = gltf.meshes;
  const at = mesh.primitives[0].attributes.POSITION;
  mesh.primitives[0].targets = [{ POSITION: at }, { POSITION: at }];
  mesh.extras = { targetNames: ['lips', 'brows'] };
  mesh.weights = [0.1, 0];
  const { VRMC_vrm } = gltf.extensions;
  const bind = (index: number, weight: number) => ({ node: body, index, weight });
  VRMC_vrm.expressions = {
    preset: {
      happy: { morphTargetBinds: [bind(0, 0.8), bind(1, 0.25)] },
      aa: { morphTargetBinds: [bind(0, 0.5)] },
    },
    custom: { blush: { materialColorBinds: [{ material: 0, type: 'color', targetValue: [1, 0, 0, 1] }] } },
  };
  const node = (bone: string) => VRMC_vrm.humanoid.humanBones[bone].node;
  gltf.extensionsUsed.push('VRMC_springBone');
  gltf.extensions.VRMC_springBone = {
    specVersion: '1.0',
    springs: [
      { name: 'left fingers', joints: [{ node: node('leftHand') }, { node: node('leftIndexProximal') }] },
    ],
  };
  return joinGlb({ json: JSON.stringify(gltf), bin, others });
}

const withVrm = () => {
  const loader = new GLTFLoader();
  loader.register((parser) => new VRMLoaderPlugin(parser));
  loader.register((parser) => new VRMAnimationLoaderPlugin(parser));
  return loader;
};

describe('expressions of a VRM 1.0 character', () => {
  it('are face channels that move several targets, in the figure and in bakes, as three-vrm moves them', async () => {
    const bytes = await expressive();
    const read = await readCharacter('wick.vrm', bytes);
    expect(read.rig.faces?.map(({ name }) => name)).toEqual(['lips', 'brows', 'happy', 'aa']);
    expect(read.warnings.join()).toMatch(/colours.*blush/);
    expect(read.sets).toEqual([{ name: 'left fingers', joints: ['RightFoot', expect.any(String)] }]);
    const project = {
      ...projectFromCharacter(read),
      fps: 30,
      range: [0, 30] as const,
      layers: [
        newLayer('face', 'override', {
          content: keyed({
            happy: { m: { keys: [newKey(0, 0), newKey(12, 1), newKey(30, 0.3)] } },
            aa: { m: { keys: [newKey(0, 0.5), newKey(30, 0)] } },
            lips: { m: { keys: [newKey(0, 0.1), newKey(20, 0.2)] } },
          }),
        }),
      ],
    };
    const stack = compileStack(project);
    const pose = restPose(read.rig);
    const facesAt = (frame: number) => {
      evaluateStack(stack, frame, pose);
      return pose.faces;
    };
    const { userData } = await withVrm().parseAsync(bytes.slice().buffer, '');
    const { expressionManager } = userData.vrm;
    let shown: Mesh | undefined;
    userData.vrm.scene.traverse((object: Mesh) => {
      if (object.morphTargetInfluences) shown = object;
    });
    const wanted = (frame: number): number[] => {
      const [lips, brows, happy, aa] = facesAt(frame);
      expressionManager.setValue('happy', happy);
      expressionManager.setValue('aa', aa);
      expressionManager.update();
      // It adds to what the targets have by themselves, from nothing.
      return [...shown!.morphTargetInfluences!].map((weight, t) => weight + [lips, brows][t]);
    };
    const [mesh] = readSkeleton(bytes).faceMeshes;
    for (const frame of [0, 5.5, 12, 21]) {
      const own = wanted(frame);
      for (const t of [0, 1]) expect(targetWeight(mesh, t, facesAt(frame))).toBeCloseTo(own[t], 6);
    }
    const plan = planBake(project, {});
    const samples = bakeBlock(stack, plan, 0, plan.count);
    const few = await keysFromSamples(read.rig, samples, {
      space: 'quaternion',
      length: 1e-5,
      angle: 0.01,
      number: 1e-5,
    });
    for (const [motion, off] of [
      [samples, 6],
      [few, 4],
    ] as const) {
      const baked = writeOnCharacter(bytes, read.rig, motion, 'face');
      const { animations, scene } = await new GLTFLoader().parseAsync(baked.slice().buffer, '');
      const mixer = new AnimationMixer(scene);
      mixer.clipAction(animations[0]).play();
      let target: Mesh | undefined;
      scene.traverse((object) => {
        if ((object as Mesh).morphTargetInfluences) target = object as Mesh;
      });
      for (const frame of [0, 6, 12, 21, 29]) {
        mixer.setTime(frame / 30);
        const own = wanted(frame);
        for (const t of [0, 1]) expect(target!.morphTargetInfluences![t]).toBeCloseTo(own[t], off);
      }
    }
  });
});

describe('writing a .vrma file', () => {
  const { writes } = kindOf('wave.vrma')!;

  it('gives three-vrm the motion that was baked, on a character of its own', async () => {
    const character = await expressive();
    const { rig } = await readCharacter('wick.vrm', character);
    const named = (bone: string) => rig.joints.find((joint) => joint.bone === bone)!.name;
    const project = {
      ...projectFromCharacter(await readCharacter('wick.vrm', character)),
      fps: 30,
      range: [0, 30] as const,
      layers: [
        newLayer('wave', 'override', {
          content: keyed({
            [named('hips')]: {
              tz: { keys: [newKey(0, 0), newKey(30, 0.6)] },
              ry: { keys: [newKey(0, 0), newKey(30, 40)] },
            },
            [named('leftUpperArm')]: {
              rz: { keys: [newKey(0, 0), newKey(15, 70)] },
              rx: { keys: [newKey(0, -20)] },
            },
            [named('leftLowerArm')]: { ry: { keys: [newKey(0, 0), newKey(20, -80)] } },
            [named('head')]: { rx: { keys: [newKey(5, 0), newKey(25, 25)] } },
            happy: { m: { keys: [newKey(0, 0), newKey(30, 1)] } },
            lips: { m: { keys: [newKey(0, 0.4)] } },
          }),
        }),
      ],
    };
    const stack = compileStack(project);
    const plan = planBake(project, {});
    const samples = bakeBlock(stack, plan, 0, plan.count);
    const times = { count: plan.count, interval: 1 / 30, first: 0, step: 1 };
    const { bytes } = writeWhole(writes!.format(rig, times, { name: 'wave', metresPerUnit: 1 }), samples);
    const report = await validateBytes(bytes);
    expect(report.issues.numErrors).toBe(0);

    const vrm = (await withVrm().parseAsync(character.slice().buffer, '')).userData.vrm;
    const [animation] = (await withVrm().parseAsync(bytes.slice().buffer, '')).userData
      .vrmAnimations as VRMAnimation[];
    const clip = createVRMAnimationClip(animation, vrm);
    const mixer = new AnimationMixer(vrm.scene);
    mixer.clipAction(clip).play();
    for (const frame of [0, 7, 15, 24, 30]) {
      mixer.setTime(Math.min(frame / 30, clip.duration - 1e-6));
      vrm.update(0);
      vrm.scene.updateMatrixWorld(true);
      const pose = restPose(rig);
      evaluateStack(stack, frame, pose);
      const matrices = globalMatrices(rig, pose, new Float64Array(16 * rig.joints.length));
      for (const bone of ['hips', 'leftHand', 'head', 'rightFoot', 'leftIndexIntermediate']) {
        const j = rig.joints.findIndex((joint) => joint.bone === bone);
        const place = vrm.humanoid.getRawBoneNode(bone).getWorldPosition(new Vector3()).toArray();
        for (const axis of [0, 1, 2]) expect(place[axis]).toBeCloseTo(matrices[16 * j + 12 + axis], 4);
      }
      expect(vrm.expressionManager.getValue('happy')).toBeCloseTo(
        pose.faces[rig.faces!.findIndex(({ name }) => name === 'happy')],
        4,
      );
    }
    // And it is read back as what it was.
    const { take } = await readAnyTake('wave.vrma', bytes);
    expect(take.faceCurves!.map(({ channel }) => channel).sort()).toEqual(['aa', 'brows', 'happy', 'lips']);
    expect(take.count).toBe(31);
  });

  it('finds the bones of a character that says none, counts what stands above the hips into them, and says what it leaves out', async () => {
    expect([...humanBones(WICK)].find(([bone]) => bone === 'rightLowerArm')?.[1]).toBe(
      WICK.joints.findIndex(({ name }) => name === 'RightForearm'),
    );
    expect(humanBones(WICK).get('leftThumbMetacarpal')).toBeDefined();
    expect(() =>
      writes!.format(BRINDLE, { count: 1, interval: 1, first: 0, step: 1 }, { name: 'x', metresPerUnit: 1 }),
    ).toThrow(/humanoid/);
    // Wick under a root bone, and with a joint between hips and spine that no humanoid has.
    const root = { ...WICK.joints[0], name: 'Root', parent: -1, translation: [0, 0, 0] as const };
    const rig: Rig = {
      joints: [root, ...WICK.joints.map((joint) => ({ ...joint, parent: joint.parent + 1 }))],
    };
    const [hips, hand] = ['Hips', 'LeftHand'].map((name) =>
      rig.joints.findIndex((joint) => joint.name === name),
    );
    const count = 5;
    const n = rig.joints.length;
    const full = everyMember({
      rig,
      count,
      interval: 0.1,
      translations: {
        joints: Int32Array.of(0),
        size: 3,
        values: Float64Array.from({ length: 3 * count }, (_, i) => 0.1 * i),
      },
      rotations: {
        joints: Int32Array.from({ length: n }, (_, j) => j),
        size: 4,
        values: Float64Array.from({ length: 4 * n * count }, (_, i) =>
          i % 4 === 3 ? 0.8 : i % 4 === 1 ? 0.6 : 0,
        ),
      },
      scales: emptyTrack(3),
      faces: emptyTrack(1),
    });
    const { bytes } = writeWhole(
      writes!.format(rig, { count, interval: 0.1, first: 0, step: 1 }, { name: 'turn', metresPerUnit: 1 }),
      full,
    );
    const { take } = await readAnyTake('turn.vrma', bytes);
    expect(take.rig.joints[0].name).toBe('Hips');
    const own = restPose(take.rig);
    const theirs = restPose(rig);
    readSample(take, 3, own);
    readSample(full, 3, theirs);
    const ownAt = globalMatrices(take.rig, own, new Float64Array(16 * take.rig.joints.length));
    const theirAt = globalMatrices(rig, theirs, new Float64Array(16 * n));
    for (let c = 0; c < 16; c++) expect(ownAt[c]).toBeCloseTo(theirAt[16 * hips + c], 5);
    const ownHand = take.rig.joints.findIndex(({ name }) => name === 'LeftHand');
    for (let c = 12; c < 15; c++) expect(ownAt[16 * ownHand + c]).toBeCloseTo(theirAt[16 * hand + c], 4);
    expect(writes!.loses!(WICK).join()).toMatch(/humanoid bones alone/);
    expect(writes!.loses!(BRINDLE).join()).toMatch(/no humanoid/);
  });
});
