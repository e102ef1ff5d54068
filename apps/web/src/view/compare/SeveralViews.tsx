import { rigHeight } from '@evlay/core/rig';
import { useFrame, useThree } from '@react-three/fiber';
import { useEffect, useMemo } from 'react';
import * as THREE from 'three';
import { useSeen, useSession } from '../../editor/context.js';
import { shotFrame } from '../shot-frame.js';
import { BEFORE, NOW, TOOLS } from './Others.js';

/** Every character stands this tall in the view. */
const SEEN_HEIGHT = 1.6;

/** Draws the view in two halves, before and now, and a second view that stays, each through the same scene. */
export function SeveralViews() {
  const split = useSession(({ compare }) => compare.split);
  const shot = useSession(({ compare }) => compare.shot);
  const height = useSeen((project) => rigHeight(project.rig));
  const invalidate = useThree((state) => state.invalidate);
  const shotCamera = useMemo(() => new THREE.PerspectiveCamera(32, 1, 0.05, 80), []);

  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn anew when these change
  useEffect(() => invalidate(), [split, shot, invalidate]);
  useEffect(() => {
    if (!shot) return;
    const scale = SEEN_HEIGHT / (height || SEEN_HEIGHT);
    shotCamera.position.set(...shot.from).multiplyScalar(scale);
    shotCamera.lookAt(new THREE.Vector3(...shot.at).multiplyScalar(scale));
    invalidate();
  }, [shot, height, shotCamera, invalidate]);
  // Whoever draws next draws all of it.
  const gl = useThree((state) => state.gl);
  useEffect(() => () => gl.setScissorTest(false), [gl]);

  // With a priority above 0 it is this that draws.
  useFrame(({ gl: renderer, scene, camera, size }) => {
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
      const frame = shotFrame(width, tall);
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
