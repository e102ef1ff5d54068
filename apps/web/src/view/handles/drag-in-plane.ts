import type { RootState } from '@react-three/fiber';
import * as THREE from 'three';
import { followPointer } from '../../gestures/pointer.js';
import { pressHandles } from './attach-handles.js';

interface PlaneDrag {
  /** Where the pointer is in the plane, in the view's units. */
  readonly move: (place: THREE.Vector3) => void;
  readonly end: (kept: boolean) => void;
}

/**
 * Follows the pointer in the plane through a place that faces the camera, which holds still meanwhile. Returns what ends
 * it from outside.
 */
export function dragInPlane(
  get: () => RootState,
  event: PointerEvent,
  place: THREE.Vector3,
  { move, end }: PlaneDrag,
): (kept: boolean) => void {
  pressHandles();
  const { camera, size, gl, controls } = get();
  const orbit = controls as { enabled: boolean } | null;
  if (orbit) orbit.enabled = false;
  const free = () => {
    if (orbit) orbit.enabled = true;
  };
  const plane = new THREE.Plane().setFromNormalAndCoplanarPoint(
    camera.getWorldDirection(new THREE.Vector3()),
    place,
  );
  const canvas = gl.domElement.getBoundingClientRect();
  const ray = new THREE.Raycaster();
  const hit = new THREE.Vector3();
  // A press that does not move gives the camera back too.
  window.addEventListener('pointerup', free, { once: true });
  return followPointer(event, {
    move(_dx, _dy, { clientX, clientY }) {
      const at = new THREE.Vector2(
        (2 * (clientX - canvas.left)) / size.width - 1,
        1 - (2 * (clientY - canvas.top)) / size.height,
      );
      ray.setFromCamera(at, camera);
      if (ray.ray.intersectPlane(plane, hit)) move(hit.clone());
    },
    end(kept) {
      end(kept);
      free();
    },
  });
}
