import { layerById } from '@evlay/core';
import { useFrame, useThree } from '@react-three/fiber';
import { type RefObject, useEffect, useMemo } from 'react';
import * as THREE from 'three';
import { useShallow } from 'zustand/react/shallow';
import { refusalOf, tellRefusal } from '../../commands/command.js';
import { type Posing, tryPose } from '../../commands/poses/pose.js';
import { litTarget } from '../../commands/scene/targets.js';
import { canMove } from '../../commands/view/view.js';
import { useEditor, useSeen, useSession } from '../../editor/context.js';
import type { HandleAxes } from '../../editor/session.js';
import { setPosing } from '../../editor/session.js';
import type { Shown } from '../../editor/stage.js';
import type { Gesture } from '../../gestures/gesture.js';
import { beginPosing } from '../../gestures/posing.js';
import { attachHandles } from './attach-handles.js';
import { type BringTarget, beginBringing } from './bring-target.js';
import { beginMove, type MoveJoint } from './move-joint.js';
import { beginScale, type ScaleJoints } from './scale-joints.js';
import { beginTurn, type TurnJoints } from './turn-joints.js';

const matrix = new THREE.Matrix4();
/** Metres by which a joint has to miss its place before that is said. */
const LEAST_MISSED = 0.001;

/** Reads position and orientation of a joint's global matrix, in the rig's units. */
function globalOf(shown: Shown, j: number): { position: THREE.Vector3; rotation: THREE.Quaternion } {
  const position = new THREE.Vector3();
  const rotation = new THREE.Quaternion();
  if (j >= 0) matrix.fromArray(shown.matrices, 16 * j).decompose(position, rotation, new THREE.Vector3());
  return { position, rotation };
}

/** How handles on a joint are turned, so that their axes are the ones that are wanted. */
function axesOf(shown: Shown, j: number, axes: HandleAxes, camera: THREE.Camera): THREE.Quaternion {
  if (axes === 'joint') return globalOf(shown, j).rotation;
  if (axes === 'parent') return globalOf(shown, shown.project.rig.joints[j].parent).rotation;
  return axes === 'view' ? camera.quaternion.clone() : new THREE.Quaternion();
}

/**
 * Handles on the joint that was picked last: they turn or scale all that are picked, or move it, on the lit layer. `scale` is view
 * units a rig unit.
 */
export function Handles({ scale, tag }: { scale: number; tag: RefObject<HTMLElement | null> }) {
  const editor = useEditor();
  const joint = useSession((state) => state.picked.at(-1));
  const lit = useSession((state) => state.lit);
  const moves = useSeen((project) => canMove(project, layerById(project, lit), joint));
  const handle = useSession(({ handle, stretching }) =>
    stretching || (moves && handle === 'move') ? handle : 'turn',
  );
  // A scale is along the joint's own axes.
  const axes = useSession((state) =>
    handle === 'turn' ? state.turnAxes : handle === 'move' ? state.moveAxes : 'joint',
  );
  const { snap, snapAngle, snapLength, playing } = useSession(
    useShallow(({ snap, snapAngle, snapLength, playing }) => ({ snap, snapAngle, snapLength, playing })),
  );
  const metresPerUnit = useSeen((project) => project.metresPerUnit);
  const size = useSession((state) => 0.75 * state.handleSize);
  const object = useMemo(() => new THREE.Object3D(), []);
  const get = useThree((state) => state.get);
  const invalidate = useThree((state) => state.invalidate);
  const camera = useThree((state) => state.camera);
  const step = !snap
    ? undefined
    : handle === 'turn'
      ? THREE.MathUtils.degToRad(snapAngle)
      : handle === 'move'
        ? (snapLength / metresPerUnit) * scale
        : undefined;

  useEffect(() => {
    if (joint === undefined) return;
    const { stage, session, history } = editor;
    let gesture: Gesture<Posing> | undefined;
    let bringing: BringTarget | undefined;
    let dragging = false;
    let move: MoveJoint | undefined;
    let turn: TurnJoints | undefined;
    let grow: ScaleJoints | undefined;
    let latest: Posing | undefined;

    const putOnJoint = () => {
      if (dragging) return;
      object.position.copy(globalOf(stage.get(), joint).position).multiplyScalar(scale);
      object.quaternion.copy(axesOf(stage.get(), joint, axes, get().camera));
      object.scale.set(1, 1, 1);
      invalidate();
    };
    putOnJoint();
    const stop = stage.subscribe(putOnJoint);
    if (playing) return stop;

    const handles = attachHandles(object, get, {
      does: handle,
      alongOwn: true,
      size,
      snap: step,
      start() {
        dragging = true;
        setPosing(session, { handling: true });
        const shown = stage.get();
        // A layer with a target on the joint moves the target.
        const target = litTarget(history.project(), lit, history.project().rig.joints[joint]?.name);
        if (target && handle !== 'scale') {
          bringing = beginBringing(
            editor,
            { layer: lit, target: target.id },
            joint,
            object.quaternion,
            () => {
              dragging = false;
              setPosing(session, { missed: undefined, handling: false });
              handles.letGo();
              putOnJoint();
            },
          );
          dragging = bringing !== undefined;
          return;
        }
        if (handle === 'move') move = beginMove(editor, joint);
        else if (handle === 'scale') grow = beginScale(editor);
        else turn = beginTurn(editor, joint, object.quaternion.clone());
        latest = undefined;
        gesture = undefined;
        // Where joints cannot be posed, that is told at the end, when it is known what was wanted.
        const asIs =
          move?.(globalOf(shown, joint).position.toArray(), false).posing ??
          grow?.([1, 1, 1]) ??
          turn!(object.quaternion);
        if (refusalOf(editor, tryPose, asIs)) return;
        gesture = beginPosing(editor, () => {
          dragging = false;
          setPosing(session, { missed: undefined, handling: false });
          handles.letGo();
          putOnJoint();
        });
      },
      drag(shift) {
        invalidate();
        if (!dragging) return;
        if (bringing && handle !== 'scale') {
          bringing.to(handle, object.position.clone().divideScalar(scale), object.quaternion);
          return;
        }
        if (move) {
          const place = object.position.clone().divideScalar(scale);
          const { posing, tooFar } = move(place.toArray(), shift);
          latest = posing;
          gesture?.to(latest);
          const by = globalOf(stage.get(), joint).position.distanceTo(place);
          const misses = gesture && !shift && by * metresPerUnit > LEAST_MISSED;
          const missed = misses ? { by, tooFar } : undefined;
          if (missed || session.getState().missed) setPosing(session, { missed });
        } else if (grow) {
          latest = grow(object.scale.toArray());
          gesture?.to(latest);
        } else if (turn) {
          latest = turn(object.quaternion);
          gesture?.to(latest);
        }
      },
      end() {
        setPosing(session, { handling: false });
        if (!dragging) return;
        dragging = false;
        bringing?.commit();
        bringing = undefined;
        const refused = gesture || !latest ? undefined : refusalOf(editor, tryPose, latest);
        if (refused) tellRefusal(tryPose.name, refused);
        gesture?.commit();
        move = undefined;
        turn = undefined;
        grow = undefined;
        // Where the pose was refused, the handles go back onto the joint.
        putOnJoint();
      },
    });
    // Those that are turned as the view is turn with it.
    const controls = get().controls as unknown as THREE.EventDispatcher<{ change: object }> | null;
    if (axes === 'view') controls?.addEventListener('change', putOnJoint);
    return () => {
      controls?.removeEventListener('change', putOnJoint);
      stop();
      gesture?.cancel();
      bringing?.cancel();
      if (session.getState().handling) setPosing(session, { handling: false });
      handles.detach();
    };
  }, [editor, joint, lit, handle, axes, step, size, playing, object, scale, metresPerUnit, get, invalidate]);

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
