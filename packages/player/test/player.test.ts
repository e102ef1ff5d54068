import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import {
  compileStack,
  evaluateStack,
  keyed,
  newKey,
  newLayer,
  type Project,
  restPose,
  withVariant,
} from '@evlay/core';
import { bakeBlock, planBake } from '@evlay/core/bake';
import { addCharacter, standCharacter } from '@evlay/core/edit';
import { readCharacter, writeGlb, writeOnCharacter, writeProject } from '@evlay/core/format';
import { jointIndex, placePose, rigHeight } from '@evlay/core/rig';
import { Document, NodeIO } from '@gltf-transform/core';
import { AnimationMixer, Object3D, Vector3 } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { beforeAll, describe, expect, it } from 'vitest';
import { lampLighting } from '../../demo/src/wick/lamp-lighting.js';
import { WICK } from '../../demo/src/wick/skeleton.js';

import { loadStack, type Player, playerOf } from '../src/index.js';
import { drive, figureOf } from '../src/three.js';

let bytes: Uint8Array;
let figure: Uint8Array;
let player: Player;

beforeAll(async () => {
  const bare = await lampLighting(new Uint8Array());
  const rest = bakeBlock(compileStack(bare), planBake(bare, { range: [0, 0] }), 0, 1);
  figure = writeGlb(WICK, rest, { name: 'rest', metresPerUnit: 1 });
  const scene = {
    ...bare.scene,
    characters: [{ name: 'Wick', rig: WICK, figure: { id: 'w', bytes: figure } }],
  };
  bytes = writeProject({
    ...bare,
    scene,
    variants: [{ name: 'calm', layers: { [bare.layers[1].id]: { weight: 0.25 } } }],
  });
  player = await loadStack(bytes);
});

/** A skinned figure as other programs write them: joints without a name, or of one name, below a node that turns and scales, one mirrored. */
async function foreign(): Promise<Uint8Array> {
  const made = new Document();
  const buffer = made.createBuffer();
  const data = (
    type: 'VEC3' | 'VEC4',
    values: ArrayLike<number>,
    array: typeof Float32Array | typeof Uint16Array,
  ) => made.createAccessor().setType(type).setArray(array.from(values)).setBuffer(buffer);
  const top = made
    .createNode('Armature')
    .setRotation([-Math.SQRT1_2, 0, 0, Math.SQRT1_2])
    .setScale([0.01, 0.01, 0.01])
    .setTranslation([0.3, 0.1, 0]);
  const joints = ['', 'bone', 'bone', ''].map((name) => made.createNode(name));
  for (const [k, joint] of joints.entries()) {
    (k === 0 ? top : joints[k - 1]).addChild(joint);
    joint.setTranslation([10 * k, 0, 40]).setRotation([0, Math.sin(0.1 * k), 0, Math.cos(0.1 * k)]);
  }
  joints[2].setScale([-1, 1, 1]);
  const skin = made.createSkin();
  for (const joint of joints) skin.addJoint(joint);
  const mesh = made.createMesh('skin').addPrimitive(
    made
      .createPrimitive()
      .setAttribute('POSITION', data('VEC3', [0, 0, 0, 1, 0, 0, 0, 1, 0], Float32Array))
      .setAttribute('JOINTS_0', data('VEC4', [0, 0, 0, 0, 1, 0, 0, 0, 3, 0, 0, 0], Uint16Array))
      .setAttribute('WEIGHTS_0', data('VEC4', [1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0], Float32Array)),
  );
  made.createScene().addChild(top).addChild(made.createNode('mesh').setMesh(mesh).setSkin(skin));
  return new NodeIO().writeBinary(made);
}

describe('a stack that plays', () => {
  it('is evaluated as the project is, with variants, weights and mutes turned, and back', async () => {
    const { project } = player;
    const [, lean, lantern] = project.layers;
    const same = (expected: typeof project, frame: number) => {
      const pose = restPose(expected.rig);
      evaluateStack(compileStack(expected), frame, pose);
      expect(player.at(frame).pose.rotations).toEqual(pose.rotations);
      expect(player.at(frame).pose.translations).toEqual(pose.translations);
    };
    const weighed = (from: typeof project, id: string, values: object) => ({
      ...from,
      layers: from.layers.map((layer) => (layer.id === id ? { ...layer, ...values } : layer)),
    });
    same(project, 40);
    player.turn(lean.id, { weight: 1.7 });
    same(weighed(project, lean.id, { weight: 1.7 }), 40);
    player.setVariant('calm');
    player.turn(lantern.id, { muted: true });
    same(
      weighed(weighed(withVariant(project, 'calm'), lean.id, { weight: 1.7 }), lantern.id, { muted: true }),
      61.5,
    );
    player.turn(lean.id, undefined);
    player.turn(lantern.id, undefined);
    same(withVariant(project, 'calm'), 12);
    player.setVariant(undefined);
    same(project, 40);
    expect(() => player.turn('none', { weight: 1 })).toThrow(/no layer none/);
    expect(() => player.setVariant('none')).toThrow(/no variant none/);
    const other = await loadStack(bytes);
    other.turn(lean.id, { weight: 0 });
    same(project, 40);
  });

  it('goes round or holds its last frame', () => {
    const [first, last] = player.project.range;
    const seconds = (last - first) / player.project.fps;
    expect(player.frameAt(seconds + 1)).toBeCloseTo(first + player.project.fps, 9);
    expect(player.frameAt(-0.5)).toBeCloseTo(last - player.project.fps / 2, 9);
    expect(player.frameAt(seconds + 1, false)).toBe(last);
  });

  it('drives a figure as three plays its bake: without names, below a turned and scaled node, mirrored', async () => {
    for (const file of [figure, await foreign()]) {
      const { rig, figure: own } = await readCharacter('Foreign.glb', file);
      const joint = rig.joints[1].name;
      const bend = (axis: 'rx' | 'rz', size: number) => ({
        [axis]: { keys: [newKey(0, 0), newKey(20, size)] },
      });
      const project: Project = {
        ...player.project,
        rig,
        parts: rig.joints.map(() => 'other'),
        limbs: {},
        takes: [],
        variants: [],
        range: [0, 20],
        scene: { characters: [{ name: 'Foreign', rig, figure: own }], props: [] },
        layers: [
          newLayer('Base', 'override', {
            content: keyed({ [rig.joints[0].name]: bend('rx', 50), [joint]: bend('rz', -70) }),
          }),
        ],
      };
      const plan = planBake(project, {});
      const samples = bakeBlock(compileStack(project), plan, 0, plan.count);
      const baked = writeOnCharacter(own.bytes, rig, samples, 'bend');
      const read = (bytes: Uint8Array) =>
        new GLTFLoader().parseAsync(bytes.slice().buffer as ArrayBuffer, '');
      const [theirs, ours] = [await read(baked), figureOf(await read(own.bytes))];
      const mixer = new AnimationMixer(theirs.scene);
      mixer.clipAction(theirs.animations.find(({ name }) => name === 'bend')!).play();
      const playing = playerOf(project);
      const show = drive(playing, ours);
      const byNode = new Map<unknown, Object3D>();
      ours.traverse((node) => byNode.set(node.userData.evlayNode, node));
      let moved = 0;
      for (const frame of [0, 7, 20]) {
        mixer.setTime(frame / project.fps);
        theirs.scene.updateMatrixWorld(true);
        show(playing.at(frame));
        ours.updateMatrixWorld(true);
        figureOf(theirs).traverse((node) => {
          const other = byNode.get(node.userData.evlayNode);
          if (node.userData.evlayNode === undefined || !other) return;
          const [a, b] = [node, other].map((one) => one.getWorldPosition(new Vector3()));
          expect(a.distanceTo(b), `node ${node.userData.evlayNode} at ${frame}`).toBeLessThan(
            1e-5 * rigHeight(rig),
          );
          moved = Math.max(moved, frame === 20 ? a.length() : 0);
        });
      }
      expect(moved).toBeGreaterThan(0);
    }
  });

  it('drives each of two, one moved and turned, where the scene has them', async () => {
    const two = addCharacter(player.project, {
      name: 'Other',
      rig: WICK,
      figure: { id: 'o', bytes: figure },
      takes: [],
      metresPerUnit: 1,
    });
    const project = standCharacter(two.project, 1, { at: [2, 0, 1], heading: 70, scale: 0.8 });
    const playing = playerOf(project);
    const figures = await Promise.all(
      [0, 1].map(async () =>
        figureOf(await new GLTFLoader().parseAsync(figure.slice().buffer as ArrayBuffer, '')),
      ),
    );
    const shows = figures.map((own, k) => drive(playing, own, k));
    const moment = playing.at(25);
    const { matrices } = placePose(project.rig, moment.pose);
    for (const [k, show] of shows.entries()) {
      show(moment);
      figures[k].updateMatrixWorld(true);
      for (const { name } of WICK.joints) {
        const o = 16 * jointIndex(project.rig, k === 0 ? name : `Other/${name}`) + 12;
        const at = figures[k].getObjectByName(name)!.getWorldPosition(new Vector3());
        expect(Math.hypot(at.x - matrices[o], at.y - matrices[o + 1], at.z - matrices[o + 2])).toBeLessThan(
          1e-5,
        );
      }
    }
    expect(() => drive(playing, new Object3D())).toThrow(/expected what figureOf gives/);
  });

  it('runs the page of the documentation', async () => {
    const page = fileURLToPath(new URL('../../../docs/player.md', import.meta.url));
    const [, code] = /```js\n([\s\S]*?)```/.exec(readFileSync(page, 'utf8'))!;
    expect(code.split('\n').length).toBeLessThanOrEqual(24);
    const shown: number[] = [];
    const loaded = await new GLTFLoader().parseAsync(figure.slice().buffer as ArrayBuffer, '');
    // What the page imports and fetches is handed to it; a browser draws what here is looked at.
    const body = code.replace(/^import .*$/gm, '');
    const run = new Function(
      'loadStack',
      'drive',
      'figureOf',
      'fetched',
      'load',
      'draw',
      'eachFrame',
      `return (async () => {${body}})()`,
    );
    await run(
      loadStack,
      drive,
      figureOf,
      async () => bytes,
      async () => loaded,
      (top: Object3D) => {
        top.updateMatrixWorld(true);
        shown.push(top.getObjectByName('RightHand')!.getWorldPosition(new Vector3()).y);
      },
      (step: (seconds: number) => void) => [0, 0.5, 1, 2].forEach((seconds) => void step(seconds)),
    );
    expect(new Set(shown.map((y) => y.toFixed(4))).size).toBe(4);
  });
});
