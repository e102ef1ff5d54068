import { layerById } from '@evlay/core';
import type { WantedTransform } from '@evlay/core/solve';
import { useFrame, useThree } from '@react-three/fiber';
import { type RefObject, useEffect, useMemo } from 'react';
import * as THREE from 'three';
import { perform, refusalOf, tellRefusal } from '../commands/command.js';
import { keyTrial, type Posing, tryPose } from '../commands/pose.js';
import { canMove } from '../commands/view.js';
import { useEditor, useSeen, useSession } from '../editor/context.js';
import type { Shown } from '../editor/stage.js';
import { beginGesture, type Gesture } from '../gestures/gesture.js';
import { attachHandles } from './attach-handles.js';

const matrix = new THREE.Matrix4();

/** Reads position and orientation of a joint's global matrix, in the rig's units. */
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
  rotates: boolean,
): WantedTransform {
  const parent = shown.project.rig.joints[j].parent;
  if (rotates) {
    const { rotation } = globalOf(shown, parent);
    return { rotation: rotation.invert().multiply(handles.quaternion).normalize().toArray() };
  }
  const inverse = parent < 0 ? matrix.identity() : matrix.fromArray(shown.matrices, 16 * parent).invert();
  return { translation: handles.position.clone().divideScalar(scale).applyMatrix4(inverse).toArray() };
}

/** Handles on the joint that was picked last: they turn or move it on the lit layer. `scale` is view units a rig unit. */
export function Handles({ scale, tag }: { scale: number; tag: RefObject<HTMLElement | null> }) {
  const editor = useEditor();
  const joint = useSession((state) => state.picked.at(-1));
  const wanted = useSession((state) => state.handle);
  const lit = useSession((state) => state.lit);
  const moves = useSeen((project) => canMove(project, layerById(project, lit), joint));
  const handle = moves ? wanted : 'turn';
  const playing = useSession((state) => state.playing);
  const object = useMemo(() => new THREE.Object3D(), []);
  const get = useThree((state) => state.get);
  const invalidate = useThree((state) => state.invalidate);
  const camera = useThree((state) => state.camera);

  useEffect(() => {
    if (joint === undefined) return;
    const { stage, session } = editor;
    let gesture: Gesture<Posing> | undefined;
    let dragging = false;
    let latest: Posing = { joint };

    const putOnJoint = () => {
      if (dragging) return;
      const { position, rotation } = globalOf(stage.get(), joint);
      object.position.copy(position).multiplyScalar(scale);
      object.quaternion.copy(rotation);
      invalidate();
    };
    putOnJoint();
    const stop = stage.subscribe(putOnJoint);
    if (playing) return stop;

    const handles = attachHandles(object, get, {
      rotates: handle === 'turn',
      start() {
        dragging = true;
        latest = { joint };
        gesture = undefined;
        // Where the joint cannot be posed, that is told at the end, when it is known what was wanted.
        if (refusalOf(editor, tryPose, latest)) return;
        gesture = beginGesture(editor, tryPose, latest, (kept) => {
          dragging = false;
          handles.letGo();
          const { trial, autoKey } = session.getState();
          if (kept && trial && autoKey) perform(editor, keyTrial, undefined);
          putOnJoint();
        });
      },
      drag() {
        invalidate();
        if (!dragging) return;
        latest = { joint, wanted: wantedLocal(stage.get(), joint, object, scale, handle === 'turn') };
        gesture?.to(latest);
      },
      end() {
        if (!dragging) return;
        dragging = false;
        const refused = gesture ? undefined : latest.wanted && refusalOf(editor, tryPose, latest);
        if (refused) tellRefusal(tryPose.name, refused);
        gesture?.commit();
        // Where the pose was refused, the handles go back onto the joint.
        putOnJoint();
      },
    });
    return () => {
      stop();
      gesture?.cancel();
      handles.detach();
    };
  }, [editor, joint, handle, playing, object, scale, get, invalidate]);

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
