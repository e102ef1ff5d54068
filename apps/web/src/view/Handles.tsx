import { type WantedTransform } from '@evlay/core/solve';
import { useFrame, useThree } from '@react-three/fiber';
import { type RefObject, useEffect, useMemo, useRef } from 'react';
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
import { attachHandles } from './attach-handles.js';

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

/** Handles on the joint that was picked last: they turn or move it on the lit layer. */
export function Handles({ scale, tag }: { scale: number; tag: RefObject<HTMLElement | null> }) {
  const joint = useSession((state) => state.picked.at(-1));
  const handle = useSession((state) => state.handle);
  const playing = useSession((state) => state.playing);
  const object = useMemo(() => new THREE.Object3D(), []);
  const dragging = useRef(false);
  const blocked = useRef<Hindrance | undefined>(undefined);
  const latest = useRef<WantedTransform | undefined>(undefined);
  const { invalidate, camera, get } = useThree();

  useEffect(() => {
    if (joint === undefined) return;
    const place = () => {
      if (dragging.current) return;
      placeOn(object, joint, scale);
      invalidate();
    };
    place();
    return stage.subscribe(place);
  }, [object, joint, scale, invalidate]);

  useEffect(() => {
    if (joint === undefined || playing) return;
    const start = () => {
      dragging.current = true;
      latest.current = undefined;
      blocked.current = hindrance(joint);
    };
    const drag = () => {
      invalidate();
      const shown = stage.get();
      if (!dragging.current || !shown) return;
      const wanted = wantedLocal(shown, joint, object, scale, handle === 'turn');
      latest.current = wanted;
      if (blocked.current) return;
      const values = solveLit(joint, wanted);
      if (values) tryPose(values);
    };
    const end = () => {
      dragging.current = false;
      const reason = latest.current && hindrance(joint, latest.current);
      if (blocked.current && reason) {
        dropTrial();
        tellHindrance(reason);
      } else if (sessionStore.getState().autoKey) keyTrial();
      // Where the pose was refused, the handles go back onto the joint.
      placeOn(object, joint, scale);
      invalidate();
    };
    return attachHandles(object, get, { turns: handle === 'turn', start, drag, end });
  }, [joint, handle, playing, object, scale, get, invalidate]);

  // The joint's name stands where the joint is seen.
  const seen = useMemo(() => new THREE.Vector3(), []);
  useFrame(({ size }) => {
    if (!tag.current || joint === undefined) return;
    seen.copy(object.position).project(camera);
    const x = ((seen.x + 1) / 2) * size.width;
    const y = ((1 - seen.y) / 2) * size.height;
    tag.current.style.transform = `translate(${x.toFixed(1)}px, ${y.toFixed(1)}px)`;
  });

  return null;
}
