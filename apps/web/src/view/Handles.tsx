import { layerById } from '@evlay/core';
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
import { beginMove, type MoveJoint } from './move-joint.js';

const matrix = new THREE.Matrix4();
/** Metres by which a joint has to miss its place before that is said. */
const LEAST_MISSED = 0.001;
/** Nothing is wanted yet. */
const NOWHERE: Posing = new Map();

/** Reads position and orientation of a joint's global matrix, in the rig's units. */
function globalOf(shown: Shown, j: number): { position: THREE.Vector3; rotation: THREE.Quaternion } {
  const position = new THREE.Vector3();
  const rotation = new THREE.Quaternion();
  if (j >= 0) matrix.fromArray(shown.matrices, 16 * j).decompose(position, rotation, new THREE.Vector3());
  return { position, rotation };
}

/** The pose in which joint `j` is turned as the handles are. */
function turnedAs(shown: Shown, j: number, handles: THREE.Object3D): Posing {
  const { rotation } = globalOf(shown, shown.project.rig.joints[j].parent);
  return new Map([[j, { rotation: rotation.invert().multiply(handles.quaternion).normalize().toArray() }]]);
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
    let move: MoveJoint | undefined;
    let latest: Posing = NOWHERE;

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
        move = handle === 'move' ? beginMove(editor, joint) : undefined;
        latest = NOWHERE;
        gesture = undefined;
        // Where joints cannot be posed, that is told at the end, when it is known what was wanted.
        const moved = move?.(globalOf(stage.get(), joint).position.toArray()).posing;
        if (refusalOf(editor, tryPose, moved ?? new Map([[joint, {}]]))) return;
        gesture = beginGesture(editor, tryPose, NOWHERE, (kept) => {
          dragging = false;
          session.setState({ missed: undefined });
          handles.letGo();
          const { trial, autoKey } = session.getState();
          if (kept && trial && autoKey) perform(editor, keyTrial, undefined);
          putOnJoint();
        });
      },
      drag() {
        invalidate();
        if (!dragging) return;
        if (move) {
          const { posing, tooFar } = move(object.position.clone().divideScalar(scale).toArray());
          latest = posing;
          gesture?.to(latest);
          const by = globalOf(stage.get(), joint).position.distanceTo(
            object.position.clone().divideScalar(scale),
          );
          const misses = gesture && by * stage.get().project.metresPerUnit > LEAST_MISSED;
          session.setState({ missed: misses ? { by, tooFar } : undefined });
        } else {
          latest = turnedAs(stage.get(), joint, object);
          gesture?.to(latest);
        }
      },
      end() {
        if (!dragging) return;
        dragging = false;
        const refused = gesture || latest === NOWHERE ? undefined : refusalOf(editor, tryPose, latest);
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
