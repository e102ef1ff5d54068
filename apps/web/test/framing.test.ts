import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { random } from '../../../packages/core/bench/subject.js';
import type { Shown } from '../src/editor/stage.js';
import { figureBones, figureMesh } from '../src/view/scene/figure.js';
import { framingOf } from '../src/view/scene/framing.js';
import { cornersToSee, jointBoxes } from '../src/view/scene/joint-boxes.js';

const MARGINS = { top: 0.92, bottom: 0.72, side: 0.9 };

describe('what of a character is to be seen', () => {
  it('has every vertex in it, wherever the joints have gone', () => {
    const next = random(3);
    const count = 300;
    const geometry = new THREE.BufferGeometry();
    const drawn = (size: number, from: () => number) => Float32Array.from({ length: size * count }, from);
    geometry.setAttribute(
      'position',
      new THREE.BufferAttribute(
        drawn(3, () => 2 * next() - 1),
        3,
      ),
    );
    // Each vertex follows one of three bones; the second and the third are joints 4 and 1, the first is none.
    const bones = Uint8Array.from({ length: 4 * count }, (_, k) =>
      k % 4 === 0 ? Math.floor(3 * next()) : 0,
    );
    geometry.setAttribute('skinIndex', new THREE.BufferAttribute(bones, 4));
    geometry.setAttribute(
      'skinWeight',
      new THREE.BufferAttribute(
        drawn(4, () => 0).map((_, k) => (k % 4 ? 0 : 1)),
        4,
      ),
    );
    const place = () =>
      new THREE.Matrix4().compose(
        new THREE.Vector3(next(), next(), next()),
        new THREE.Quaternion().setFromEuler(new THREE.Euler(6 * next(), 6 * next(), 6 * next())),
        new THREE.Vector3(1, 1, 1),
      );
    const mesh = figureMesh(
      geometry,
      new THREE.MeshStandardMaterial(),
      figureBones([place(), place(), place()], [-1, 4, 1]),
    );
    const matrices = Float64Array.from([0, 1, 2, 3, 4].flatMap(() => place().toArray()));
    const corners = cornersToSee({ matrices } as Shown, jointBoxes([mesh]), 2).map(({ at }) => at);
    expect(corners).toHaveLength(16);
    const hull = new THREE.Box3().setFromPoints(corners).expandByScalar(1e-5);
    for (let v = 0; v < count; v++) {
      const joint = [-1, 4, 1][bones[4 * v]];
      if (joint < 0) continue;
      const at = new THREE.Vector3()
        .fromBufferAttribute(geometry.attributes.position, v)
        .applyMatrix4(mesh.mesh.skeleton.boneInverses[bones[4 * v]])
        .applyMatrix4(new THREE.Matrix4().fromArray(matrices, 16 * joint))
        .multiplyScalar(2);
      expect(hull.containsPoint(at)).toBe(true);
    }
  });
});

describe('framing', () => {
  it('has everything within the margins by three’s own camera, and touches one of them', () => {
    const next = random(7);
    for (let k = 0; k < 200; k++) {
      const things = Array.from({ length: 1 + (k % 9) }, () => ({
        at: new THREE.Vector3(4 * next() - 2, 2 * next(), 4 * next() - 2),
        radius: 0.02 + 0.3 * next(),
      }));
      const way = new THREE.Vector3(next() - 0.5, 0.6 * next() - 0.2, next() - 0.5).normalize();
      const aspect = 0.5 + 2 * next();
      const { position, target } = framingOf(things, way, { fov: 32, aspect }, MARGINS);
      const camera = new THREE.PerspectiveCamera(32, aspect, 0.01, 1000);
      camera.position.copy(position);
      camera.lookAt(target);
      camera.updateMatrixWorld();
      // The nearest side of each ball: what is round is seen no larger than a square there.
      let most = 0;
      for (const { at, radius } of things) {
        const [x, y] = [0, 1].map((column) =>
          new THREE.Vector3().setFromMatrixColumn(camera.matrixWorld, column),
        );
        for (const [dx, dy] of [
          [1, 1],
          [1, -1],
          [-1, 1],
          [-1, -1],
        ]) {
          const corner = at
            .clone()
            .addScaledVector(x, dx * radius)
            .addScaledVector(y, dy * radius)
            .addScaledVector(way, radius)
            .project(camera);
          most = Math.max(
            most,
            Math.abs(corner.x) / MARGINS.side,
            corner.y / MARGINS.top,
            -corner.y / MARGINS.bottom,
          );
        }
      }
      expect(most).toBeLessThan(1.001);
      expect(most).toBeGreaterThan(0.98);
    }
  });
});
