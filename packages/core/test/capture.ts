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

/** World positions by joint name at sample `k` of a BVH file, as Debian's `assimp` reads it. */
export function assimpReader(file: string, clip = 0): (k: number) => Map<string, THREE.Vector3> {
  const folder = mkdtempSync(join(tmpdir(), 'evlay-'));
  execFileSync('assimp', ['export', file, join(folder, 'out.gltf'), '-fgltf2'], { stdio: 'ignore' });
  const gltf = JSON.parse(readFileSync(join(folder, 'out.gltf'), 'utf8')) as Gltf;
  const buffer = readFileSync(join(folder, gltf.buffers[0].uri));
  const read = (index: number, size: number) => {
    const { bufferView, byteOffset = 0, count } = gltf.accessors[index];
    const start = (gltf.bufferViews[bufferView].byteOffset ?? 0) + byteOffset;
    return Float32Array.from({ length: count * size }, (_, i) => buffer.readFloatLE(start + 4 * i));
  };
  const tracks = gltf.animations[clip].channels.map(({ sampler, target }) => ({
    ...target,
    values: read(gltf.animations[clip].samplers[sampler].output, target.path === 'rotation' ? 4 : 3),
  }));
  return (k) => {
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
    for (const { node, path, values } of tracks) {
      if (path === 'rotation')
        objects[node].quaternion.fromArray(values, 4 * Math.min(k, values.length / 4 - 1));
      if (path === 'translation')
        objects[node].position.fromArray(values, 3 * Math.min(k, values.length / 3 - 1));
      if (path === 'scale') objects[node].scale.fromArray(values, 3 * Math.min(k, values.length / 3 - 1));
    }
    for (const object of objects) if (!object.parent) object.updateMatrixWorld(true);
    return new Map(objects.map((o) => [o.name, new THREE.Vector3().setFromMatrixPosition(o.matrixWorld)]));
  };
}

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
