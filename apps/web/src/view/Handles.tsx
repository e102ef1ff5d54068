import type { WantedTransform } from '@evlay/core';
import { TransformControls } from '@react-three/drei';
import { useThree } from '@react-three/fiber';
import { type ComponentRef, useEffect, useRef, useState } from 'react';
import * as THREE from 'three';
import {
  dropTrial,
  type Hindrance,
  hindrance,
  keyTrial,
  solveLit,
  tellHindrance,
  tryPose,
} from '../state/actions.js';
import { sessionStore, useSession } from '../state/session-store.js';
import { type Shown, stage } from '../state/stage.js';

const matrix = new THREE.Matrix4();

/** Reads place and orientation of a joint's global matrix, in the rig's units. */
function globalOf(shown: Shown, j: number): { position: THREE.Vector3; rotation: THREE.Quaternion } {
  const position = new THREE.Vector3();
  const rotation = new THREE.Quaternion();
  if (j >= 0) matrix.fromArray(shown.matrices, 16 * j).decompose(position, rotation, new THREE.Vector3());
  return { position, rotation };
}

/** Local transform that puts joint `j` where the handles stand. */
function wantedLocal(
  shown: Shown,
  j: number,
  handles: THREE.Object3D,
  scale: number,
  turns: boolean,
): WantedTransform {
  const parent = shown.project.rig.joints[j].parent;
  if (turns) {
    const { rotation } = globalOf(shown, parent);
    return { rotation: rotation.invert().multiply(handles.quaternion).normalize().toArray() };
  }
  const inverse = parent < 0 ? matrix.identity() : matrix.fromArray(shown.matrices, 16 * parent).invert();
  return { translation: handles.position.clone().divideScalar(scale).applyMatrix4(inverse).toArray() };
}

/** Puts the handles where a joint is seen: `scale` view units a rig unit. */
function placeOn(object: THREE.Object3D, joint: number, scale: number): void {
  const shown = stage.get();
  if (!shown) return;
  const { position, rotation } = globalOf(shown, joint);
  object.position.copy(position).multiplyScalar(scale);
  object.quaternion.copy(rotation);
}

/** Colours the handles: x, y, z, and the one under the pointer. */
function paint(controls: ComponentRef<typeof TransformControls> | null): void {
  controls?.setColors('#F58A78', '#8BD17C', '#6FB4F0', '#FFC857');
}

/** Handles on the joint that was picked last: they turn or move it on the lit layer. */
export function Handles({ scale }: { scale: number }) {
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
      if (dragging.current) return;
      placeOn(object, joint, scale);
      invalidate();
    };
    place();
    return stage.subscribe(place);
  }, [object, joint, scale, invalidate]);

  if (joint === undefined || playing) return null;

  const start = () => {
    dragging.current = true;
    latest.current = undefined;
    blocked.current = hindrance(joint);
  };
  const drag = () => {
    const shown = stage.get();
    if (!dragging.current || !object || !shown) return;
    const wanted = wantedLocal(shown, joint, object, scale, handle === 'turn');
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
    if (reason) dropTrial();
    // Where the pose was refused, the handles go back onto the joint.
    if (object) placeOn(object, joint, scale);
    invalidate();
  };

  return (
    <>
      <object3D ref={setObject} />
      {object && (
        <TransformControls
          ref={paint}
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
