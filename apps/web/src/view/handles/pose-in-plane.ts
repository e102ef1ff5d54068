import type { WantedPlace } from '@evlay/core/edit';
import type { RootState } from '@react-three/fiber';
import type * as THREE from 'three';
import { refusalOf, tellRefusal } from '../../commands/command.js';
import { type Posing, tryPose } from '../../commands/poses/pose.js';
import { bringTarget, type OfTarget } from '../../commands/scene/targets.js';
import type { Editor } from '../../editor/editor.js';
import { beginGesture } from '../../gestures/gesture.js';
import { beginPosing } from '../../gestures/posing.js';
import { dragInPlane } from './drag-in-plane.js';

/**
 * Drags something that poses joints in the plane through a place that faces the camera: what is wanted where the pointer
 * is, is tried while it lasts and keyed in the end. Where it cannot be posed, that is told once.
 */
export function poseInPlane(
  editor: Editor,
  get: () => RootState,
  event: PointerEvent,
  place: THREE.Vector3,
  posingAt: (place: THREE.Vector3) => Posing,
): void {
  let gesture: ReturnType<typeof beginPosing>;
  let refused = false;
  const stop = dragInPlane(get, event, place, {
    move(at) {
      const posing = posingAt(at);
      if (!gesture && !refused) {
        const why = refusalOf(editor, tryPose, posing);
        if (why) tellRefusal(tryPose.name, why);
        refused = why !== undefined;
        gesture = refused ? undefined : beginPosing(editor, (kept) => stop(kept));
      }
      gesture?.to(posing);
    },
    end: (kept) => (kept ? gesture?.commit() : gesture?.cancel()),
  });
}

/** Drags the target of a joint in the plane through a place that faces the camera: it says where that is when the pointer moves. */
export function bringInPlane(
  editor: Editor,
  get: () => RootState,
  event: PointerEvent,
  place: THREE.Vector3,
  wantedAt: (place: THREE.Vector3) => OfTarget & WantedPlace,
): void {
  let gesture: ReturnType<typeof beginGesture<OfTarget & WantedPlace>>;
  let begun = false;
  const stop = dragInPlane(get, event, place, {
    move(at) {
      const wanted = wantedAt(at);
      if (!begun) gesture = beginGesture(editor, bringTarget, wanted, (kept) => stop(kept));
      begun = true;
      gesture?.to(wanted);
    },
    end: (kept) => (kept ? gesture?.commit() : gesture?.cancel()),
  });
}
