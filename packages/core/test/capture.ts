import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as THREE from 'three';
import { BVHLoader } from 'three/addons/loaders/BVHLoader.js';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import type { Rig } from '../src/index.js';

/**
 * Subject 01, trial 01 of the Carnegie Mellon motion-capture database (mocap.cs.cmu.edu, funded by NSF
 * EIA-0196217), as Debian's package assimp-testmodels ships it: 2752 frames at 120 a second, 31 joints.
 */
export const CAPTURE = '/usr/share/assimp/models/BVH/01_01.bvh';

export const captureBytes = (): Uint8Array => readFileSync(CAPTURE);

/** World positions of the joints that three's own BVHLoader finds, at a time in seconds. */
export function threeReader(text: string): (time: number) => Map<string, THREE.Vector3> {
  const { skeleton, clip } = new BVHLoader().parse(text);
  const root = skeleton.bones[0];
  const mixer = new THREE.AnimationMixer(root);
  const action = mixer.clipAction(clip).setLoop(THREE.LoopOnce, 1).play();
  action.clampWhenFinished = true;
  return (time) => {
    action.reset();
    mixer.setTime(time);
    root.updateMatrixWorld(true);
    return new Map(
      skeleton.bones
        .filter((bone) => bone.name !== 'ENDSITE')
        .map((bone) => [bone.name, new THREE.Vector3().setFromMatrixPosition(bone.matrixWorld)]),
    );
  };
}

/** The nodes that three's own GLTFLoader finds in a binary glTF file by name, as they stand at a time of a clip in seconds. */
export async function threePlayer(
  bytes: Uint8Array,
  clip = 0,
): Promise<(time: number) => Map<string, THREE.Object3D>> {
  const buffer = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer;
  const { scene, animations } = await new GLTFLoader().parseAsync(buffer, '');
  const mixer = new THREE.AnimationMixer(scene);
  const action = mixer.clipAction(animations[clip]).setLoop(THREE.LoopOnce, 1).play();
  action.clampWhenFinished = true;
  return (time) => {
    action.reset();
    mixer.setTime(time);
    scene.updateMatrixWorld(true);
    const found = new Map<string, THREE.Object3D>();
    scene.traverse((o) => found.set(o.name, o));
    return found;
  };
}

/** World positions of the nodes of a binary glTF file, as three plays it. */
export async function threeGlbReader(
  bytes: Uint8Array,
  clip = 0,
): Promise<(time: number) => Map<string, THREE.Vector3>> {
  const play = await threePlayer(bytes, clip);
  return (time) =>
    new Map(
      [...play(time)].map(([name, o]) => [name, new THREE.Vector3().setFromMatrixPosition(o.matrixWorld)]),
    );
}

interface Gltf {
  nodes: {
    name: string;
    children?: number[];
    translation?: number[];
    rotation?: number[];
    scale?: number[];
    matrix?: number[];
  }[];
  animations: {
    channels: { sampler: number; target: { node: number; path: string } }[];
    samplers: { input: number; output: number }[];
  }[];
  accessors: { bufferView: number; byteOffset?: number; count: number }[];
  bufferViews: { byteOffset?: number }[];
  buffers: { uri: string }[];
}

/** A file as Debian's `assimp` reads it: its objects at a time, by the keys that `place` finds around it. */
function assimpScene(
  file: string,
  clip: number,
  place: (times: Float32Array, time: number) => { k: number; u: number },
): (time: number) => Map<string, THREE.Object3D> {
  const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
  execFileSync('assimp', ['export', file, join(folder, 'out.gltf'), '-fgltf2'], { stdio: 'ignore' });
  const gltf = JSON.parse(readFileSync(join(folder, 'out.gltf'), 'utf8')) as Gltf;
  const buffer = readFileSync(join(folder, gltf.buffers[0].uri));
  const read = (index: number, size: number) => {
    const { bufferView, byteOffset = 0, count } = gltf.accessors[index];
    const start = (gltf.bufferViews[bufferView].byteOffset ?? 0) + byteOffset;
    return Float32Array.from({ length: count * size }, (_, i) => buffer.readFloatLE(start + 4 * i));
  };
  const tracks = gltf.animations[clip].channels.map(({ sampler, target }) => {
    const { input, output } = gltf.animations[clip].samplers[sampler];
    return { ...target, times: read(input, 1), values: read(output, target.path === 'rotation' ? 4 : 3) };
  });
  return (time) => {
    const objects = gltf.nodes.map((node) => {
      const object = new THREE.Object3D();
      object.name = node.name;
      if (node.matrix)
        new THREE.Matrix4()
          .fromArray(node.matrix)
          .decompose(object.position, object.quaternion, object.scale);
      if (node.translation) object.position.fromArray(node.translation);
      if (node.rotation) object.quaternion.fromArray(node.rotation as [number, number, number, number]);
      if (node.scale) object.scale.fromArray(node.scale);
      return object;
    });
    for (const [i, node] of gltf.nodes.entries())
      for (const child of node.children ?? []) objects[i].add(objects[child]);
    for (const { node, path, times, values } of tracks) {
      const { k, u } = place(times, time);
      if (path === 'rotation') {
        const next = new THREE.Quaternion().fromArray(values, 4 * Math.min(k + 1, times.length - 1));
        objects[node].quaternion.fromArray(values, 4 * k).slerp(next, u);
      } else {
        const next = new THREE.Vector3().fromArray(values, 3 * Math.min(k + 1, times.length - 1));
        const to = path === 'translation' ? objects[node].position : objects[node].scale;
        to.fromArray(values, 3 * k).lerp(next, u);
      }
    }
    for (const object of objects) if (!object.parent) object.updateMatrixWorld(true);
    return new Map(objects.map((object) => [object.name, object]));
  };
}

/** World positions by joint name at sample `k` of a BVH file, as Debian's `assimp` reads it. */
export function assimpReader(file: string, clip = 0): (k: number) => Map<string, THREE.Vector3> {
  const scene = assimpScene(file, clip, (times, k) => ({ k: Math.min(k, times.length - 1), u: 0 }));
  return (k) =>
    new Map(
      [...scene(k)].map(([name, object]) => [
        name,
        new THREE.Vector3().setFromMatrixPosition(object.matrixWorld),
      ]),
    );
}

/** The nodes of a file at a time in seconds, by the keys that Debian's `assimp` reads and straight between these. */
export const assimpPlayer = (file: string): ((seconds: number) => Map<string, THREE.Object3D>) =>
  assimpScene(file, 0, (times, seconds) => {
    let k = 0;
    while (k + 2 < times.length && times[k + 1] <= seconds) k++;
    if (times.length === 1) return { k, u: 0 };
    return { k, u: Math.min(1, Math.max(0, (seconds - times[k]) / (times[k + 1] - times[k]))) };
  });

/** A rig of plain joints for tests: `[name, parent, translation]`. */
export function rigOf(joints: readonly [string, number, readonly [number, number, number]][]): Rig {
  return {
    joints: joints.map(([name, parent, translation]) => ({
      name,
      parent,
      translation,
      rotation: [0, 0, 0, 1],
      scale: [1, 1, 1],
      order: 'ZYX',
      ends: [],
      channels: [],
    })),
  };
}
