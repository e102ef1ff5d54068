import { Document, WebIO } from '@gltf-transform/core';
import fc from 'fast-check';
import { validateBytes } from 'gltf-validator';
import { AnimationMixer, LoopOnce, type Mesh } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { describe, expect, it } from 'vitest';
import { random } from '../bench/subject.js';
import { bake } from '../src/bake/index.js';
import { projectFromCharacter } from '../src/edit/index.js';
import {
  bvhFormat,
  readAnyTake,
  readCharacter,
  readStack,
  stackText,
  writeGlb,
  writeOnCharacter,
  writeWhole,
} from '../src/format/index.js';
import {
  compileStack,
  evaluateStack,
  keyed,
  type Layer,
  newKey,
  newLayer,
  type Project,
  playing,
  restPose,
} from '../src/index.js';
import { keysFromSamples, usualLimits } from '../src/keys/index.js';
import { facesOf, memberIndex } from '../src/rig/index.js';
import { solvePose } from '../src/solve/index.js';
import { animating } from './clips.js';

const CHANNELS = { Head: ['smile', 'blinkLeft', 'jaw'], Teeth: ['jaw', 'bite'] };

/**
 * A head on two joints, one of which is called as a morph target, with two meshes that share a target and a third without
 * names, animated with each interpolation at uneven times of its own.
 */
async function face(): Promise<Uint8Array> {
  const made = new Document();
  const buffer = made.createBuffer();
  const next = random(5);
  const accessor = (type: 'SCALAR' | 'VEC3' | 'VEC4', values: readonly number[]) =>
    made.createAccessor().setType(type).setArray(Float32Array.from(values)).setBuffer(buffer);
  const drawn = (count: number) => Array.from({ length: count }, () => next());
  const root = made.createNode('Neck').setTranslation([0, 1.5, 0]);
  const jaw = made.createNode('jaw').setTranslation([0, 0.2, 0.1]);
  root.addChild(jaw);
  made.createScene().addChild(root);
  const clip = made.createAnimation('talk');
  const animated = animating(made, clip);
  const meshes: [string, readonly string[] | undefined, number][] = [
    ['Head', CHANNELS.Head, 3],
    ['Teeth', CHANNELS.Teeth, 2],
    ['Lashes', undefined, 2],
  ];
  for (const [k, [name, names, targets]] of meshes.entries()) {
    const primitive = made.createPrimitive().setAttribute('POSITION', accessor('VEC3', drawn(9)));
    for (let t = 0; t < targets; t++)
      primitive.addTarget(
        made.createPrimitiveTarget(names?.[t]).setAttribute('POSITION', accessor('VEC3', drawn(9))),
      );
    const mesh = made.createMesh(name).addPrimitive(primitive).setWeights(drawn(targets));
    if (names) mesh.setExtras({ targetNames: names });
    const node = made.createNode(`${name} node`).setMesh(mesh);
    root.addChild(node);
    const how = (['LINEAR', 'CUBICSPLINE', 'STEP'] as const)[k];
    const times = [0.013, 0.3, 0.71, 1.37].map((time) => time + 0.01 * k);
    animated(node, 'weights', how, times, drawn(times.length * targets * (how === 'CUBICSPLINE' ? 3 : 1)));
  }
  animated(jaw, 'rotation', 'LINEAR', [0, 1], [0, 0, 0, 1, 0.6, 0, 0, 0.8]);
  animated(root, 'rotation', 'LINEAR', [0, 0.5, 1], [0, 0, 0, 1, 0, 0.6, 0, 0.8, 0, 0, 0, 1]);
  return new WebIO().writeBinary(made);
}

const read = await readCharacter('face.glb', await face());
const project = { ...projectFromCharacter(read), fps: 30, range: [0, 42] as const };
const n = project.rig.joints.length;
const indexOf = (name: string) => facesOf(project.rig).findIndex((one) => one.name === name);

/** The weights of a node's morph targets as three's mixer plays them. */
async function threeWeights(bytes: Uint8Array, clip: string) {
  const { scene, animations } = await new GLTFLoader().parseAsync(bytes.slice().buffer, '');
  const mixer = new AnimationMixer(scene);
  const action = mixer.clipAction(animations.find(({ name }) => name === clip)!).setLoop(LoopOnce, 1);
  action.clampWhenFinished = true;
  return (node: string, time: number): readonly number[] => {
    action.reset().play();
    mixer.setTime(time);
    let found: readonly number[] = [];
    scene.traverse((object) => {
      const { name, morphTargetInfluences } = object as Mesh;
      if (name === node && morphTargetInfluences) found = morphTargetInfluences;
    });
    return found;
  };
}

const posed = (of: Project, frame: number) => {
  const pose = restPose(of.rig);
  evaluateStack(compileStack(of), frame, pose);
  return pose;
};

const talking = (over: Partial<Layer>[]): Project => ({
  ...project,
  layers: [
    newLayer('Base', 'override', { content: playing(project.takes[0].id) }),
    ...over.map((layer, k) => newLayer(`Layer ${k}`, layer.mode ?? 'override', layer)),
  ],
});

describe('face channels', () => {
  it('are called as the file says, share a name over meshes, and give way to a joint', () => {
    expect(facesOf(project.rig).map(({ name }) => name)).toEqual([
      'smile',
      'blinkLeft',
      'jaw (face)',
      'bite',
      'Lashes.0',
      'Lashes.1',
    ]);
    expect(project.parts.slice(n)).toEqual(Array(6).fill('face'));
  });

  it('play as three’s mixer plays the file, for all interpolations, at ten times the density of its keys', async () => {
    const weights = await threeWeights(await face(), 'talk');
    const base = talking([]);
    const nodes = { Head_node: [0, 1, 2], Lashes_node: [4, 5] };
    for (let time = 0; time < 1.5; time += 0.0301) {
      const { faces } = posed(base, 30 * time);
      for (const [node, channels] of Object.entries(nodes))
        for (const [t, f] of channels.entries()) expect(faces[f]).toBeCloseTo(weights(node, time)[t], 5);
      // Of the target that two meshes share the first counts; the other of the second mesh is its own.
      expect(faces[3]).toBeCloseTo(weights('Teeth_node', time)[1], 5);
    }
  });

  it('come back from a bake, on the character and alone, every sample and few keys, valid and to 1e-5', async () => {
    const lift = newLayer('Lift', 'additive', {
      weight: 0.5,
      content: keyed({ smile: { m: { keys: [newKey(0, 0), newKey(20, 1), newKey(40, -0.5)] } } }),
    });
    const base = talking([]);
    const stack = { ...base, layers: [...base.layers, lift] };
    const samples = await bake(stack, {});
    const fine = { ...usualLimits(stack.rig), number: 2e-4 };
    const keys = await keysFromSamples(stack.rig, samples, { ...fine, space: 'quaternion' });
    expect(keys.error.number).toBeLessThanOrEqual(2e-4);
    const bytes = await face();
    const options = { name: 'baked', metresPerUnit: 1 };
    for (const [file, near] of [
      [writeOnCharacter(bytes, stack.rig, samples, 'baked'), 1e-5],
      [writeGlb(stack.rig, samples, options), 1e-5],
      [writeOnCharacter(bytes, stack.rig, keys, 'baked'), 2.1e-4],
    ] as const) {
      expect((await validateBytes(file)).issues.numErrors).toBe(0);
      const several = file.length > bytes.length;
      const { take } = await readAnyTake('baked.glb', file, several ? 'baked' : undefined);
      const again = {
        ...stack,
        takes: [take],
        layers: [newLayer('Base', 'override', { content: playing(take.id) })],
      };
      for (let frame = 0; frame <= 42; frame += 1)
        for (const [f, value] of posed(stack, frame).faces.entries())
          expect(Math.abs(posed(again, frame).faces[f] - value), `${f} at ${frame}`).toBeLessThan(near);
    }
    // The animation that was there plays as before.
    const [before, after] = await Promise.all([
      threeWeights(bytes, 'talk'),
      threeWeights(writeOnCharacter(bytes, stack.rig, samples, 'baked'), 'talk'),
    ]);
    for (const time of [0.1, 0.66, 1.3])
      expect([...after('Teeth_node', time)]).toEqual([...before('Teeth_node', time)]);
    const { warnings } = writeWhole(bvhFormat(stack.rig, samples), samples);
    expect(warnings.join()).toContain('smile, blinkLeft, jaw (face) and 3 more');
  });

  it('are written and read in a stack by the channel m, and wrong channels are named by their place', async () => {
    const stack = talking([
      {
        content: keyed({ smile: { m: { keys: [newKey(3, 0.5)] } } }),
        mask: { face: 0.5 },
        joints: { smile: 0.5 },
      },
    ]);
    const text = stackText(stack, () => 'face.glb');
    const files = await face();
    const bytesOf = (json: string) => new TextEncoder().encode(json);
    const find = () => ({ bytes: files });
    const { project: again } = await readStack(bytesOf(text), 'face', find);
    expect([...posed(again, 3).faces]).toEqual([...posed(stack, 3).faces]);
    const wrong = async (from: string | RegExp, to: string) =>
      readStack(bytesOf(text.replace(from, to)), 'face', find).then(
        () => 'read',
        (error: Error) => error.message,
      );
    expect(await wrong(/"m": \{/, '"rx": {')).toMatch(
      /layers\[1\]\.channels\.smile\.rx.*face channel.*no channel "rx"/,
    );
    expect(await wrong(/"channels": \{\s*"smile"/, '"channels": { "Neck"')).toMatch(
      /layers\[1\]\.channels\.Neck\.m/,
    );
    expect(await wrong(/"channels": \{\s*"smile"/, '"channels": { "grin"')).toMatch(/grin.*face channel/);
    expect(await wrong(/"mode": "override",\s*"take": \{[^}]*\}/, '"mode": "override"')).toBe('read');
    const sampled = text.replace('"layers": [', '"layers": [') as string;
    const additive = JSON.parse(sampled);
    additive.layers.push({
      name: 'again',
      mode: 'additive',
      take: { ...additive.layers[0].take, reference: 4 },
    });
    expect(
      await readStack(bytesOf(JSON.stringify(additive)), 'face', find).catch((e: Error) => e.message),
    ).toMatch(/layers\[2\]\.take\.reference.*no even samples/);
  });

  it('are seen where they are wanted, whatever the layer weighs and whatever lies above', () => {
    const number = fc.double({ min: -1, max: 2, noNaN: true });
    fc.assert(
      fc.property(
        fc.constantFrom('additive' as const, 'override' as const),
        fc.double({ min: 0.1, max: 1, noNaN: true }),
        fc.double({ min: 0, max: 0.9, noNaN: true }),
        number,
        number,
        (mode, weight, above, wanted, held) => {
          const stack = talking([
            { mode, weight, content: keyed({ smile: { m: { keys: [newKey(0, held)] } } }) },
            { weight: above, content: keyed({ smile: { m: { keys: [newKey(0, 0.8)] } } }) },
            { mode: 'additive', content: keyed({ smile: { m: { keys: [newKey(0, 0.3)] } } }) },
          ]);
          const member = memberIndex(stack.rig, 'smile');
          const solved = solvePose(compileStack(stack), 10, 1, new Map([[member, { m: wanted }]]))!;
          const value = solved.get(member)!.m!;
          const layers = stack.layers.with(1, {
            ...stack.layers[1],
            content: keyed({ smile: { m: { keys: [newKey(0, value)] } } }),
          });
          expect(posed({ ...stack, layers }, 10).faces[indexOf('smile')]).toBeCloseTo(wanted, 9);
        },
      ),
    );
  });
});
