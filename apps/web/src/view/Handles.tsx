import type { WantedTransform } from '@evlay/core';
import { TransformControls } from '@react-three/drei';
import { useThree } from '@react-three/fiber';
import { useEffect, useRef, useState } from 'react';
import * as THREE from 'three';
import { type Hindrance, dropTrial, hindrance, keyTrial, solveLit, tellHindrance, tryPose } from '../state/actions.js';
import { sessionStore, useSession } from '../state/session-store.js';
import { type Shown, stage } from '../state/stage.js';

const matrix = new THREE.Matrix4();

/** Reads place and orientation of a joint's global matrix. */
function globalOf(shown: Shown, j: number): { position: THREE.Vector3; rotation: THREE.Quaternion } {
  const position = new THREE.Vector3();
  const rotation = new THREE.Quaternion();
  if (j >= 0) matrix.fromArray(shown.matrices, 16 * j).decompose(position, rotation, new THREE.Vector3());
  return { position, rotation };
}

/** Local transform that puts joint `j` where the handles stand. */
function wantedLocal(shown: Shown, j: number, handles: THREE.Object3D, turns: boolean): WantedTransform {
  const parent = shown.project.rig.joints[j].parent;
  if (turns) {
    const { rotation } = globalOf(shown, parent);
    return { rotation: rotation.invert().multiply(handles.quaternion).normalize().toArray() };
  }
  const inverse = parent < 0 ? matrix.identity() : matrix.fromArray(shown.matrices, 16 * parent).invert();
  return { translation: handles.position.clone().applyMatrix4(inverse).toArray() };
}

/** Handles on the joint that was picked last: they turn or move it on the lit layer. */
export function Handles() {
  const joint = useSession((state) => state.picked.at(-1));
  const handle = useSession((state) => state.handle);
  const playing = useSession((state) => state.playing);
  const [object, setObject] = useState<THREE.Object3D | null>(null);
  const dragging = useRef(false);
  const blocked = useRef<Hindrance | undefined>(undefined);
  const latest = useRef<WantedTransform | undefined>(undefined);
  const invalidate = useThree((state) => state.invalidate);

  useEffect(() => {
    if (!object || joint === undefined) return;
    const place = () => {
      const shown = stage.get();
      if (!shown || dragging.current) return;
      const { position, rotation } = globalOf(shown, joint);
      object.position.copy(position);
      object.quaternion.copy(rotation);
      invalidate();
    };
    place();
    return stage.subscribe(place);
  }, [object, joint, invalidate]);

  if (joint === undefined || playing) return null;

  const start = () => {
    dragging.current = true;
    latest.current = undefined;
    blocked.current = hindrance(joint);
  };
  const drag = () => {
    const shown = stage.get();
    if (!dragging.current || !object || !shown) return;
    const wanted = wantedLocal(shown, joint, object, handle === 'turn');
    latest.current = wanted;
    if (blocked.current) return;
    const values = solveLit(joint, wanted);
    if (values) tryPose(values);
  };
  const end = () => {
    dragging.current = false;
    const reason = blocked.current && latest.current ? hindrance(joint, latest.current) : undefined;
    if (reason) tellHindrance(reason);
    else if (sessionStore.getState().autoKey) keyTrial();
    blocked.current = undefined;
    // Puts the handles back onto the joint where the pose was refused.
    const shown = stage.get();
    if (shown && object) {
      const { position, rotation } = globalOf(shown, joint);
      object.position.copy(position);
      object.quaternion.copy(rotation);
    }
    if (reason) dropTrial();
    invalidate();
  };

  return (
    <>
      <object3D ref={setObject} />
      {object && (
        <TransformControls
          object={object}
          mode={handle === 'turn' ? 'rotate' : 'translate'}
          space={handle === 'turn' ? 'local' : 'world'}
          size={0.62}
          onMouseDown={start}
          onObjectChange={drag}
          onMouseUp={end}
        />
      )}
    </>
  );
}
