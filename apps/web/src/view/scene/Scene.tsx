import type { Rig } from '@evlay/core';
import { characterIn } from '@evlay/core';
import { meshBounds, readSkeleton } from '@evlay/core/format';
import { characterOf, facing, positionsAtRest, rigHeight, rootOf } from '@evlay/core/rig';
import { OrbitControls } from '@react-three/drei';
import { useThree } from '@react-three/fiber';
import { type ComponentRef, type RefObject, useEffect, useMemo, useRef } from 'react';
import * as THREE from 'three';

import { useEditor, useSeen, useSession } from '../../editor/context.js';
import type { Shown } from '../../editor/stage.js';
import { NOW, Others, TOOLS } from '../compare/Others.js';
import { BendHandle } from '../handles/BendHandle.js';
import { Handles } from '../handles/Handles.js';
import { PlaceHandles } from '../handles/PlaceHandles.js';
import { TargetMarks } from '../handles/TargetMarks.js';
import { Figure } from './Figure.js';
import { FindingSpots } from './FindingSpots.js';
import { Floor } from './Floor.js';
import { framingOf, type Margins, type Seen } from './framing.js';
import { Picture } from './Picture.js';
import { Props } from './Props.js';
import { Trails } from './Trails.js';
import { useLightDisplay } from './use-light.js';

/** Every character stands this tall in the view, so that light, floor and camera fit any unit. */
const SEEN_HEIGHT = 1.6;

interface SceneProps {
  readonly dark: boolean;
  /** Names the picked joint, and says by how much a target is missed. */
  readonly tag: RefObject<HTMLElement | null>;
  readonly gap: RefObject<HTMLElement | null>;
}

/** What the view shows: the character at a common size, props, floor, light and camera. */
export function Scene({ dark, tag, gap }: SceneProps) {
  const body = useSeen((project) => characterOf(project.rig));
  const figure = useSeen((project) => characterIn(project.scene).figure);
  const extent = useMemo(() => extentOf(body, figure?.bytes), [body, figure]);
  const scale = SEEN_HEIGHT / extent.size;
  const placing = useSession((state) => state.placing);
  const previewing = useSession((state) => state.previewing);
  const sky = dark ? '#16303A' : '#DCE6E1';
  return (
    <>
      <color attach="background" args={[sky]} />
      <fog attach="fog" args={[sky, 6, 20]} />
      <hemisphereLight args={dark ? ['#C4DDE0', '#5A4A38', 1.7] : ['#FFFFFF', '#C9BCA0', 1.7]} />
      <Sun dark={dark} scale={scale} />
      <directionalLight position={[-4, 2.5, -3]} intensity={dark ? 1.1 : 0.6} color="#7FB8D6" />
      <Floor dark={dark} />
      <group scale={scale} name={NOW}>
        <Figure />
        <Props />
      </group>
      {!previewing && <Others scale={scale} />}
      <group name={TOOLS}>
        {!previewing && (placing ? <PlaceHandles scale={scale} /> : <Handles scale={scale} tag={tag} />)}
        {!previewing && !placing && <BendHandle scale={scale} />}
        <Trails scale={scale} />
        {!previewing && <TargetMarks scale={scale} tag={gap} />}
        {!previewing && <FindingSpots scale={scale} />}
      </group>
      <Camera scale={scale} reach={extent.reach} />
      {!previewing && <Picture />}
    </>
  );
}

/** The key light; it walks with the character so that its shadow stays sharp. */
function Sun({ dark, scale }: { dark: boolean; scale: number }) {
  const { stage } = useEditor();
  const light = useLightDisplay();
  const sun = useRef<THREE.DirectionalLight>(null);
  useEffect(() => {
    const follow = () => {
      const shown = stage.get();
      if (!sun.current) return;
      const x = shown.matrices[12] * scale;
      const z = shown.matrices[14] * scale;
      sun.current.position.set(x + 2.6, 4.6, z + 3.2);
      sun.current.target.position.set(x, 0.8, z);
      sun.current.target.updateMatrixWorld();
    };
    follow();
    return stage.subscribe(follow);
  }, [stage, scale]);
  return (
    <directionalLight
      ref={sun}
      castShadow={!light}
      intensity={dark ? 2.9 : 2.2}
      color="#FFE3B3"
      shadow-mapSize={[1024, 1024]}
      shadow-camera-left={-2.2}
      shadow-camera-right={2.2}
      shadow-camera-top={2.2}
      shadow-camera-bottom={-2.2}
      shadow-intensity={0.8}
      shadow-bias={-0.0006}
      shadow-normalBias={0.02}
    />
  );
}

/** An orbiting camera that frames the character at the start and goes with it while following is on. */
function Camera({ scale, reach: wide }: { scale: number; reach: number }) {
  const editor = useEditor();
  const { stage, session, events } = editor;
  const controls = useRef<ComponentRef<typeof OrbitControls>>(null);
  const camera = useThree((state) => state.camera);
  const invalidate = useThree((state) => state.invalidate);
  const canvas = useThree((state) => state.gl.domElement);

  useEffect(() => {
    const root = () => {
      const shown = stage.get();
      return new THREE.Vector3(shown.matrices[12] * scale, 0, shown.matrices[14] * scale);
    };
    let before = root();
    const frame = (way: THREE.Vector3 = USUAL) => {
      before = root();
      const shown = stage.get();
      const joints = characterOf(shown.project.rig).joints.length;
      const things = thingsToSee(shown, joints, scale, wide);
      const { fov, aspect } = camera as THREE.PerspectiveCamera;
      const { position, target } = framingOf(
        things,
        way.clone().normalize(),
        { fov, aspect },
        marginsOf(canvas.clientHeight),
      );
      controls.current?.target.copy(target);
      camera.position.copy(position);
      controls.current?.update();
      invalidate();
    };
    frame();
    const follow = () => {
      const now = root();
      const step = now.clone().sub(before);
      before = now;
      if (!session.getState().follow || !controls.current) return;
      camera.position.add(step);
      controls.current.target.add(step);
      keepHead(camera, controls.current.target, stage.get(), scale);
      controls.current.update();
    };
    const stop = stage.subscribe(follow);
    const unframed = events.on('frameCharacter', () => frame());
    const unasked = events.on('lookFrom', (from) => {
      if (!controls.current) return;
      if (typeof from === 'string') frame(sideOf(stage.get(), from));
      else {
        camera.position.set(...from.from).multiplyScalar(scale);
        controls.current.target.set(...from.at).multiplyScalar(scale);
        controls.current.update();
        invalidate();
      }
    });
    editor.viewpoint = () => ({
      from: camera.position.clone().divideScalar(scale).toArray(),
      at: (controls.current?.target ?? new THREE.Vector3()).clone().divideScalar(scale).toArray(),
    });
    return () => {
      stop();
      unasked();
      unframed();
      editor.viewpoint = undefined;
    };
    // `scale` changes with the rig: the camera frames a character anew when it changes, not when it moves.
  }, [editor, stage, session, events, camera, canvas, invalidate, scale, wide]);

  return (
    <OrbitControls
      ref={controls}
      makeDefault
      enableDamping={false}
      maxPolarAngle={1.7}
      minDistance={0.4}
      maxDistance={16}
    />
  );
}

/** The way from the character to the camera at the start, as a part of the distance. */
const USUAL = new THREE.Vector3(0.56, 0.16, 0.86);

/** The way to the camera from the front, the left side or above the character as it heads now. */
function sideOf({ project, matrices }: Shown, side: 'front' | 'side' | 'top'): THREE.Vector3 {
  const { rig } = project;
  const turn = new THREE.Quaternion().setFromRotationMatrix(new THREE.Matrix4().fromArray(matrices));
  turn.multiply(new THREE.Quaternion(...rig.joints[rootOf(rig)].rotation).invert());
  const ahead = new THREE.Vector3(...facing(rig, positionsAtRest(rig))).applyQuaternion(turn).setY(0);
  if (ahead.lengthSq() < 1e-9) ahead.set(0, 0, 1);
  ahead.normalize();
  if (side === 'front') return ahead;
  // From straight above the camera would not know which way is up.
  if (side === 'top') return ahead.multiplyScalar(0.02).setY(1);
  return new THREE.Vector3(ahead.z, 0, -ahead.x);
}

/** How near to the edge of the picture the top of the head may come, from its middle (0) to the edge (1). */
const EDGE = 0.92;
const seen = new THREE.Vector3();
const back = new THREE.Vector3();

/** Moves the camera with what it looks at by as little as keeps the head in the picture. */
function keepHead(
  camera: THREE.Camera,
  target: THREE.Vector3,
  { project, matrices }: Shown,
  scale: number,
): void {
  const head = project.parts.lastIndexOf('head');
  if (head < 0) return;
  // The joint of a head lies at its base.
  const at = (out: THREE.Vector3) =>
    out.set(
      matrices[16 * head + 12] * scale,
      matrices[16 * head + 13] * scale + 0.18,
      matrices[16 * head + 14] * scale,
    );
  camera.updateMatrixWorld();
  at(seen).project(camera);
  const held = (value: number) => Math.max(-EDGE, Math.min(EDGE, value));
  if (seen.z > 1 || (held(seen.x) === seen.x && held(seen.y) === seen.y)) return;
  back.set(held(seen.x), held(seen.y), seen.z).unproject(camera);
  const by = at(seen).sub(back);
  camera.position.add(by);
  target.add(by);
}

/**
 * How large a character is seen to be, in rig units: its height, or the largest side of an object that has only one
 * joint, and how far that reaches around the joint.
 */
function extentOf(rig: Rig, bytes: Uint8Array | undefined): { size: number; reach: number } {
  const height = rigHeight(rig);
  const box = height === 0 && bytes ? meshBounds(readSkeleton(bytes)) : undefined;
  if (!box) return { size: height || SEEN_HEIGHT, reach: 0 };
  const side = Math.max(...box.high.map((value, axis) => value - box.low[axis])) || SEEN_HEIGHT;
  const far = Math.max(
    ...rig.joints[rootOf(rig)].translation.flatMap((at, axis) => [box.high[axis] - at, at - box.low[axis]]),
  );
  return { size: side, reach: far };
}

/** How thick a body is around its joints, and how far a head with a hat reaches above its joint, in the view's units. */
const THICK = 0.09;
const HEAD = 0.26;

/** What of the character is to be in the picture: a ball around each joint, and one around its head. */
function thingsToSee({ project, matrices }: Shown, joints: number, scale: number, around: number): Seen[] {
  const radius = Math.max(THICK, around * scale);
  const head = project.parts.lastIndexOf('head', joints - 1);
  return Array.from({ length: joints }, (_, j) => {
    const at = new THREE.Vector3().fromArray(matrices, 16 * j + 12).multiplyScalar(scale);
    return j === head ? { at: at.setY(at.y + HEAD / 2), radius: HEAD / 2 + THICK / 2 } : { at, radius };
  });
}

/** Pixels of the bar of tools at the lower edge of the view, with what is beside it. */
const BAR = 58;

/** How much of a picture may be filled: all but the bar of tools, and a little beside the edges. */
const marginsOf = (height: number): Margins => ({
  top: 0.92,
  bottom: Math.max(0.3, 0.96 - (2 * BAR) / Math.max(1, height)),
  side: 0.92,
});
