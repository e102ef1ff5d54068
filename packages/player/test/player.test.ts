import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { compileStack, evaluateStack, restPose, withVariant } from '@evlay/core';
import { bakeBlock, planBake } from '@evlay/core/bake';
import { writeGlb, writeProject } from '@evlay/core/format';
import { placePose, rigHeight } from '@evlay/core/rig';
import { type Object3D, Vector3 } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { beforeAll, describe, expect, it } from 'vitest';
import { lampLighting } from '../../demo/src/wick/lamp-lighting.js';
import { WICK } from '../../demo/src/wick/skeleton.js';

import { loadStack, type Player } from '../src/index.js';
import { drive } from '../src/three.js';

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

  it('drives the nodes that three has read', async () => {
    const { scene } = await new GLTFLoader().parseAsync(figure.slice().buffer as ArrayBuffer, '');
    const show = drive(player, scene);
    for (const frame of [0, 33, 77]) {
      const moment = player.at(frame);
      show(moment);
      scene.updateMatrixWorld(true);
      const { matrices } = placePose(WICK, moment.pose);
      for (const [j, { name }] of WICK.joints.entries()) {
        const at = scene.getObjectByName(name)!.getWorldPosition(new Vector3());
        const off = Math.hypot(
          ...[at.x, at.y, at.z].map((value, axis) => value - matrices[16 * j + 12 + axis]),
        );
        expect(off, name).toBeLessThan(1e-5 * rigHeight(WICK));
      }
    }
  });

  it('runs the page of the documentation', async () => {
    const page = fileURLToPath(new URL('../../../docs/player.md', import.meta.url));
    const [, code] = /```js\n([\s\S]*?)```/.exec(readFileSync(page, 'utf8'))!;
    expect(code.split('\n').length).toBeLessThanOrEqual(24);
    const shown: number[] = [];
    const { scene } = await new GLTFLoader().parseAsync(figure.slice().buffer as ArrayBuffer, '');
    // What the page imports and fetches is handed to it; a browser draws what here is looked at.
    const body = code.replace(/^import .*$/gm, '');
    const run = new Function(
      'loadStack',
      'drive',
      'fetched',
      'load',
      'draw',
      'eachFrame',
      `return (async () => {${body}})()`,
    );
    await run(
      loadStack,
      drive,
      async () => bytes,
      async () => scene,
      (top: Object3D) => {
        top.updateMatrixWorld(true);
        shown.push(top.getObjectByName('RightHand')!.getWorldPosition(new Vector3()).y);
      },
      (step: (seconds: number) => void) => [0, 0.5, 1, 2].forEach((seconds) => void step(seconds)),
    );
    expect(new Set(shown.map((y) => y.toFixed(4))).size).toBe(4);
  });
});
