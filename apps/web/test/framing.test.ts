import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { random } from '../../../packages/core/bench/subject.js';
import { framingOf } from '../src/view/scene/framing.js';

const MARGINS = { top: 0.92, bottom: 0.72, side: 0.9 };

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
