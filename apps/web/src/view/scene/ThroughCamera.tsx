import type { Prop } from '@evlay/core';
import { jointIndex } from '@evlay/core/rig';
import type { WantedTransform } from '@evlay/core/solve';
import { useThree } from '@react-three/fiber';
import { useEffect } from 'react';
import * as THREE from 'three';
import type { Posing } from '../../commands/poses/pose.js';
import { useEditor, useSeen, useSession } from '../../editor/context.js';
import type { Gesture } from '../../gestures/gesture.js';
import { beginPosing } from '../../gestures/posing.js';

/** What orbits the camera, as far as it is used here. */
interface Orbit extends THREE.EventDispatcher<{ start: object; change: object; end: object }> {
  enabled: boolean;
  target: THREE.Vector3;
  update(): boolean;
}

/** How far ahead of a camera lies what the view turns about while it is looked through, in view units. */
const AHEAD = 3;

/**
 * Lets the view be a camera of the scene: it stands where the prop does and looks as it does. Unlocked, moving the view moves the camera, with
 * keys on the lit layer; locked, it stays what the layers say.
 */
export function ThroughCamera({ scale }: { scale: number }) {
  const through = useSession((state) => state.through);
  const prop = useSeen((project) => project.scene.props.find(({ name }) => name === through));
  return prop?.camera ? <Through prop={prop} fov={prop.camera.fov} scale={scale} /> : null;
}

function Through({ prop: { name }, fov, scale }: { prop: Prop; fov: number; scale: number }) {
  const editor = useEditor();
  const locked = useSession((state) => state.cameraLocked);
  const camera = useThree((state) => state.camera) as THREE.PerspectiveCamera;
  const controls = useThree((state) => state.controls) as unknown as Orbit | null;
  const invalidate = useThree((state) => state.invalidate);

  // What the view was before comes back when it is left.
  useEffect(() => {
    const before = { position: camera.position.clone(), fov: camera.fov, target: controls?.target.clone() };
    return () => {
      camera.fov = before.fov;
      camera.up.set(0, 1, 0);
      camera.position.copy(before.position);
      camera.updateProjectionMatrix();
      if (controls && before.target) {
        controls.enabled = true;
        controls.target.copy(before.target);
        controls.update();
      }
      invalidate();
    };
  }, [camera, controls, invalidate]);

  useEffect(() => {
    const { stage, session } = editor;
    let gesture: Gesture<Posing> | undefined;
    const matrix = new THREE.Matrix4();
    const look = () => {
      if (gesture) return;
      const { matrices, project } = stage.get();
      const joint = jointIndex(project.rig, name);
      if (joint < 0) return;
      matrix
        .fromArray(matrices, 16 * joint)
        .decompose(camera.position, camera.quaternion, new THREE.Vector3());
      camera.position.multiplyScalar(scale);
      camera.fov = fov;
      camera.updateProjectionMatrix();
      camera.updateMatrixWorld();
      controls?.target.set(0, 0, -AHEAD).applyQuaternion(camera.quaternion).add(camera.position);
      invalidate();
    };
    if (controls) controls.enabled = !locked;
    look();
    const stops = [stage.subscribe(look)];
    const begin = () => {
      if (session.getState().cameraLocked) return;
      gesture = beginPosing(editor, () => {
        gesture = undefined;
        look();
      });
    };
    const move = () => {
      const { rig } = editor.history.project();
      const joint = jointIndex(rig, name);
      if (!gesture || joint < 0) return;
      const wanted: WantedTransform = {
        translation: camera.position.clone().divideScalar(scale).toArray(),
        rotation: camera.quaternion.toArray(),
      };
      gesture.to(new Map([[joint, wanted]]));
    };
    const end = () => gesture?.commit();
    controls?.addEventListener('start', begin);
    controls?.addEventListener('change', move);
    controls?.addEventListener('end', end);
    return () => {
      for (const stop of stops) stop();
      gesture?.cancel();
      controls?.removeEventListener('start', begin);
      controls?.removeEventListener('change', move);
      controls?.removeEventListener('end', end);
    };
  }, [editor, name, fov, scale, locked, camera, controls, invalidate]);
  return null;
}
