import { jointIndex, rigHeight } from '@evlay/core/rig';
import { useFrame, useThree } from '@react-three/fiber';
import { useEffect, useMemo } from 'react';
import * as THREE from 'three';
import { useEditor, useSeen, useSession } from '../../editor/context.js';
import { shotFrame } from '../shot-frame.js';
import { BEFORE, NOW, TOOLS } from './Others.js';

/** The field of view of a second view that is no camera of the scene, in degrees. */
const FOV = 32;
/** Every character stands this tall in the view. */
const SEEN_HEIGHT = 1.6;

/** Draws the view in two halves, before and now, and a second view that stays, each through the same scene. */
export function SeveralViews() {
  const split = useSession(({ compare }) => compare.split);
  const shot = useSession(({ compare }) => compare.shot);
  const halves = useSession(({ compare }) => compare.halves && compare.shot !== undefined);
  const { stage } = useEditor();
  const camera = useThree((state) => state.camera) as THREE.PerspectiveCamera;
  const { width: wide, height: high } = useThree((state) => state.size);
  const height = useSeen((project) => rigHeight(project.rig));
  const invalidate = useThree((state) => state.invalidate);
  const shotCamera = useMemo(() => new THREE.PerspectiveCamera(FOV, 1, 0.05, 80), []);

  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn anew when these change
  useEffect(() => invalidate(), [split, shot, invalidate]);
  useEffect(() => {
    if (!shot) return;
    const scale = SEEN_HEIGHT / (height || SEEN_HEIGHT);
    const look = () => {
      const { project, matrices } = stage.get();
      const prop = project.scene.props.find(({ name }) => name === shot.camera);
      const joint = shot.camera === undefined ? -1 : jointIndex(project.rig, shot.camera);
      if (prop?.camera && joint >= 0) {
        new THREE.Matrix4()
          .fromArray(matrices, 16 * joint)
          .decompose(shotCamera.position, shotCamera.quaternion, new THREE.Vector3());
        shotCamera.position.multiplyScalar(scale);
        shotCamera.fov = prop.camera.fov;
      } else {
        shotCamera.fov = FOV;
        shotCamera.position.set(...shot.from).multiplyScalar(scale);
        shotCamera.lookAt(new THREE.Vector3(...shot.at).multiplyScalar(scale));
      }
      invalidate();
    };
    look();
    return shot.camera === undefined ? undefined : stage.subscribe(look);
  }, [shot, height, stage, shotCamera, invalidate]);
  // In the left half is what else is in the middle.
  useEffect(() => {
    if (!halves) return;
    camera.setViewOffset(wide, high, wide / 4, 0, wide, high);
    invalidate();
    return () => {
      camera.clearViewOffset();
      invalidate();
    };
  }, [halves, camera, wide, high, invalidate]);
  // Whoever draws next draws all of it.
  const gl = useThree((state) => state.gl);
  useEffect(() => () => gl.setScissorTest(false), [gl]);

  // With a priority above 0 it is this that draws.
  useFrame(({ gl: renderer, scene, size }) => {
    const object = (name: string) => scene.getObjectByName(name);
    const show = (name: string, visible: boolean) => {
      const found = object(name);
      if (found) found.visible = visible;
    };
    const { width, height: tall } = size;
    renderer.setScissorTest(true);
    renderer.setViewport(0, 0, width, tall);
    const x = split === undefined ? 0 : Math.round(split * width);
    if (x > 0) {
      show(NOW, false);
      show(TOOLS, false);
      show(BEFORE, true);
      renderer.setScissor(0, 0, x, tall);
      renderer.render(scene, camera);
    }
    show(NOW, true);
    show(TOOLS, true);
    show(BEFORE, false);
    renderer.setScissor(x, 0, width - x, tall);
    renderer.render(scene, camera);
    if (shot) {
      const frame = shotFrame(width, tall, halves);
      show(TOOLS, false);
      shotCamera.aspect = frame.width / frame.height;
      shotCamera.updateProjectionMatrix();
      // Measured from below here.
      renderer.setViewport(frame.left, tall - frame.top - frame.height, frame.width, frame.height);
      renderer.setScissor(frame.left, tall - frame.top - frame.height, frame.width, frame.height);
      renderer.render(scene, shotCamera);
      show(TOOLS, true);
      renderer.setViewport(0, 0, width, tall);
    }
    renderer.setScissorTest(false);
  }, 1);

  return null;
}
