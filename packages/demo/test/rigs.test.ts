import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Rig, restPose } from '@evlay/core';
import { readCharacter, readGlbRig, readSkeleton, readTake, writeBvh } from '@evlay/core/format';
import { findContacts, fitOnFloor } from '@evlay/core/make';
import { mappingOf, matchRigs } from '@evlay/core/match';
import { globalMatrices, rigHeight } from '@evlay/core/rig';
import { emptyTrack, type Motion, readSample, type Samples } from '@evlay/core/take';
import { WebIO } from '@gltf-transform/core';
import { mat4, vec3 } from 'gl-matrix';
import { describe, expect, it } from 'vitest';
import { assimpReader, captureBytes, threeReader } from '../../core/test/capture.js';
import { BRINDLE } from '../src/brindle/skeleton.js';
import { WICK } from '../src/wick/skeleton.js';

/** A model of Debian's assimp-testmodels, which its `assimp` puts into glTF. */
function exported(model: string): Uint8Array {
  const glb = join(mkdtempSync(join(tmpdir(), 'evlay-')), 'out.glb');
  execFileSync('assimp', ['export', `/usr/share/assimp/models/${model}`, glb], { stdio: 'ignore' });
  return readFileSync(glb);
}

/** Its rig. Names are plain, as three takes them in tracks. */
function foreign(model: string): Rig {
  const rig = readGlbRig(exported(model));
  return { ...rig, joints: rig.joints.map((one) => ({ ...one, name: one.name.replace(/[^\w]/g, '_') })) };
}

/**
 * The edges of the surface of a model, skinned as glTF 2.0 (3.7.3.3) says: their lengths for the global matrices of the joints,
 * by index. Edges without length are left out.
 */
async function edgesOf(model: string): Promise<(matrixOf: (joint: number) => Float64Array) => number[]> {
  const bytes = exported(model);
  const { nodes } = readSkeleton(bytes);
  const document = await new WebIO().readBinary(bytes);
  const all = document.getRoot().listNodes();
  const parts = all.flatMap((node) => {
    const [mesh, skin] = [node.getMesh(), node.getSkin()];
    if (!mesh || !skin) return [];
    const joints = skin
      .listJoints()
      .map((joint) => nodes.findIndex((own) => own.includes(all.indexOf(joint))));
    const inverse = skin.getInverseBindMatrices()!;
    return mesh.listPrimitives().map((primitive) => ({ primitive, joints, inverse }));
  });
  return (matrixOf) =>
    parts.flatMap(({ primitive, joints, inverse }) => {
      const moved = joints.map((joint, k) => {
        const bind = inverse.getElement(k, []) as unknown as mat4;
        return mat4.multiply(mat4.create(), matrixOf(joint) as unknown as mat4, bind);
      });
      const [position, joint, weight] = ['POSITION', 'JOINTS_0', 'WEIGHTS_0'].map(
        (name) => primitive.getAttribute(name)!,
      );
      const places = Array.from({ length: position.getCount() }, (_, v) => {
        const at = position.getElement(v, []) as unknown as vec3;
        const sum = vec3.create();
        const own = joint.getElement(v, []);
        for (const [k, part] of weight.getElement(v, []).entries())
          vec3.scaleAndAdd(sum, sum, vec3.transformMat4(vec3.create(), at, moved[own[k]]), part);
        return sum;
      });
      const indices = primitive.getIndices()!;
      return Array.from({ length: indices.getCount() }, (_, i) => {
        const next = i % 3 === 2 ? i - 2 : i + 1;
        return vec3.distance(places[indices.getScalar(i)], places[indices.getScalar(next)]);
      });
    });
}

/** Every joint turns to and fro about axes of its own; the root moves about where it rests. */
function motionOf(rig: Rig): Samples & { rig: Rig } {
  const count = 40;
  const n = rig.joints.length;
  const rest = restPose(rig);
  const all = [...rig.joints.keys()];
  const translations = new Float64Array(3 * n * count);
  const rotations = new Float64Array(4 * n * count);
  const scales = new Float64Array(3 * n * count);
  const height = rigHeight(rig);
  for (let s = 0; s < count; s++) {
    translations.set(rest.translations, 3 * n * s);
    scales.set(rest.scales, 3 * n * s);
    for (let c = 0; c < 3; c++) translations[3 * n * s + c] += 0.2 * height * Math.sin(0.1 * s + c);
    for (const j of all) {
      const half = 0.2 * Math.sin(0.17 * s + j);
      const axis = [Math.sin(j), Math.cos(j) * Math.sin(3 * j), Math.cos(j) * Math.cos(3 * j)];
      const [x, y, z, w] = [...axis.map((v) => v * Math.sin(half)), Math.cos(half)];
      const [a, b, c, d] = rest.rotations.subarray(4 * j, 4 * j + 4);
      rotations.set(
        [
          w * a + x * d + y * c - z * b,
          w * b - x * c + y * d + z * a,
          w * c + x * b - y * a + z * d,
          w * d - x * a - y * b - z * c,
        ],
        4 * (n * s + j),
      );
    }
  }
  return {
    rig,
    count,
    interval: 1 / 30,
    translations: { joints: Int32Array.from(all), size: 3, values: translations },
    rotations: { joints: Int32Array.from(all), size: 4, values: rotations },
    scales: { joints: Int32Array.from(all), size: 3, values: scales },
    faces: emptyTrack(1),
  };
}

describe('a bake to BVH of a rig that came from elsewhere', () => {
  it.each([
    ['Wick', () => WICK],
    ['Brindle', () => BRINDLE],
    ['a quadruped of assimp-testmodels', () => foreign('X/Testwuson.X')],
    ['a biped of assimp-testmodels', () => foreign('X/BCN_Epileptic.X')],
    ['a chain of assimp-testmodels', () => foreign('FBX/huesitos.fbx')],
  ] as const)('stands where it stands here, by three and by assimp: %s', (_, open) => {
    const rig = open();
    const samples = motionOf(rig);
    const { bytes } = writeBvh(rig, samples);
    const path = join(mkdtempSync(join(tmpdir(), 'evlay-')), 'out.bvh');
    writeFileSync(path, bytes);
    const readers = [
      (
        (read) => (k: number) =>
          read(k / 30)
      )(threeReader(new TextDecoder().decode(bytes))),
      assimpReader(path),
    ];
    const n = rig.joints.length;
    const limit = 1e-5 * rigHeight(rig);
    for (const k of [0, 7, 26, 39]) {
      const pose = restPose(rig);
      pose.translations.set(samples.translations.values.subarray(3 * n * k, 3 * n * (k + 1)));
      pose.rotations.set(samples.rotations.values.subarray(4 * n * k, 4 * n * (k + 1)));
      const matrices = globalMatrices(rig, pose, new Float64Array(16 * n));
      for (const read of readers) {
        const found = read(k);
        for (const [j, { name }] of rig.joints.entries()) {
          const { x, y, z } = found.get(name)!;
          const [a, b, c] = matrices.subarray(16 * j + 12, 16 * j + 15);
          expect(Math.hypot(a - x, b - y, c - z), `${name} at ${k}`).toBeLessThan(limit);
        }
      }
    }
  });
});

describe('a capture on a rig that came from elsewhere', () => {
  it.each([
    [
      'a biped that rests under the floor, with a pelvis for legs and one for the spine',
      'X/BCN_Epileptic.X',
      'B_Toe',
      0.01,
      1.05,
    ],
    // Her fore legs follow arms, which pull the skin of her chest.
    ['a quadruped whose root lies in the middle of the back', 'X/Testwuson.X', 'HindLeg', 0.01, 1.5],
  ])('follows its hips and stands on the floor: %s', async (_, model, foot, within, asOwn) => {
    const rig = foreign(model);
    const { take } = readTake('01_01.bvh', captureBytes());
    const contacts = findContacts(take, 0.0564);
    const mapping = mappingOf(take.rig, rig, matchRigs(take.rig, rig));
    const root = rig.joints.findIndex(({ parent }) => parent < 0);
    expect(mapping[rig.joints[root].name]).toBe('Hips');
    const fitted = fitOnFloor(take, rig, mapping);
    const pose = restPose(rig);
    const matrices = new Float64Array(16 * rig.joints.length);
    const placeAt = (name: string, s: number): number[] => {
      readSample(fitted, Math.round(s), pose);
      globalMatrices(rig, pose, matrices);
      const j = rig.joints.findIndex((joint) => joint.name === name);
      return [...matrices.subarray(16 * j + 12, 16 * j + 15)];
    };
    const toes = Object.entries(mapping).flatMap(([own, followed]) =>
      followed.endsWith('ToeBase') ? [[own, followed.replace('ToeBase', 'Foot')] as const] : [],
    );
    expect(toes.every(([name]) => name.startsWith(foot))).toBe(true);
    const heights = toes.flatMap(([name, side]) =>
      contacts.spans
        .filter(({ joint }) => joint === side)
        .map(({ from, to }) => placeAt(name, (from + to) / 2)[1]),
    );
    expect(heights.length).toBeGreaterThan(20);
    expect(Math.min(...heights)).toBeGreaterThan(0);
    expect(Math.max(...heights) - Math.min(...heights)).toBeLessThan(within);
    // Its surface is not torn: of its edges as many keep their lengths within a quarter as in the animations that its makers gave it.
    const edges = await edgesOf(model);
    const lengths = () => edges((joint) => matrices.subarray(16 * joint, 16 * joint + 16));
    globalMatrices(rig, restPose(rig), matrices);
    const rest = lengths();
    const stretchedIn = (motion: Motion): number => {
      const stretched = new Set<number>();
      for (let s = 0; s < motion.count; s += Math.max(1, Math.floor(motion.count / 37))) {
        readSample(motion, s, pose);
        globalMatrices(rig, pose, matrices);
        for (const [e, length] of lengths().entries()) if (length > 1.25 * rest[e]) stretched.add(e);
      }
      return stretched.size / rest.length;
    };
    const { takes } = await readCharacter('own.glb', exported(model));
    const own = Math.max(...takes.map(stretchedIn));
    expect(own).toBeGreaterThan(0.01);
    expect(stretchedIn(fitted) / own).toBeLessThan(asOwn);
    // It goes as far as the capture, by the lengths of legs.
    const way = Math.hypot(
      ...[0, 2].map((c) => placeAt(rig.joints[root].name, 1200)[c] - placeAt(rig.joints[root].name, 0)[c]),
    );
    expect(way).toBeGreaterThan(1);
  });
});
