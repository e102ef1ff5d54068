import type { WantedPlace } from '@evlay/core/edit';
import * as THREE from 'three';
import { bringTarget, type OfTarget } from '../../commands/scene/targets.js';
import type { Editor } from '../../editor/editor.js';
import type { SessionState } from '../../editor/session.js';
import { setPosing } from '../../editor/session.js';
import { beginGesture } from '../../gestures/gesture.js';

/** A drag of a target by the handles on its joint. */
export interface BringTarget {
  /** To where the handles are, in rig units, and how they are turned. */
  readonly to: (handle: SessionState['handle'], place: THREE.Vector3, turned: THREE.Quaternion) => void;
  readonly commit: () => void;
  readonly cancel: () => void;
}

/** Metres by which a joint has to miss its target before that is said. */
const LEAST_MISSED = 0.001;

/** Begins to bring a target to where the handles on its joint are dragged; undefined, and told, where it cannot be. */
export function beginBringing(
  editor: Editor,
  of: OfTarget,
  joint: number,
  handles: THREE.Quaternion,
  ended: () => void,
): BringTarget | undefined {
  const { stage, session, history } = editor;
  const matrix = new THREE.Matrix4().fromArray(stage.get().matrices, 16 * joint);
  const own = new THREE.Quaternion();
  matrix.decompose(new THREE.Vector3(), own, new THREE.Vector3());
  const back = handles.clone().invert();
  const first: OfTarget & WantedPlace = of;
  const gesture = beginGesture(editor, bringTarget, first, ended);
  if (!gesture) return undefined;
  return {
    to(handle, place, turned) {
      if (handle === 'turn') {
        const orientation = turned.clone().multiply(back).multiply(own).toArray();
        gesture.to({ ...of, orientation });
        return;
      }
      gesture.to({ ...of, place: place.toArray() });
      const seen = new THREE.Vector3().fromArray(stage.get().matrices, 16 * joint + 12);
      const by = seen.distanceTo(place);
      const missed = by * history.project().metresPerUnit > LEAST_MISSED ? { by, tooFar: true } : undefined;
      if (missed || session.getState().missed) setPosing(session, { missed });
    },
    commit: gesture.commit,
    cancel: gesture.cancel,
  };
}
