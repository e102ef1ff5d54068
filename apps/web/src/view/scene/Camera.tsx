import { type Project, restPose } from '@evlay/core';
import {
  characterOf,
  charactersOf,
  facing,
  globalMatrices,
  ownerOf,
  positionsAtRest,
  propsFrom,
  rootOf,
  sceneName,
  topologyOf,
  withoutFrames,
} from '@evlay/core/rig';
import { OrbitControls } from '@react-three/drei';
import { useThree } from '@react-three/fiber';
import { type ComponentRef, useEffect, useRef } from 'react';
import * as THREE from 'three';
import { useStore } from 'zustand';
import { useEditor } from '../../editor/context.js';
import type { Shown } from '../../editor/stage.js';
import { pen } from '../../gestures/pen.js';
import { figureOf } from './figure.js';
import { framingOf, type Margins, type Seen } from './framing.js';
import { cornersToSee, type JointBoxes, jointBoxes } from './joint-boxes.js';

interface CameraProps {
  readonly scale: number;
  /** How far a character of one joint reaches around it, in rig units. */
  readonly reach: number;
  /** The file of the character's surface. */
  readonly figure: Uint8Array | undefined;
}

/** An orbiting camera that frames the character at the start and goes with it while following is on. */
export function Camera({ scale, reach: wide, figure }: CameraProps) {
  const editor = useEditor();
  const { stage, session, events } = editor;
  const controls = useRef<ComponentRef<typeof OrbitControls>>(null);
  const camera = useThree((state) => state.camera);
  const invalidate = useThree((state) => state.invalidate);
  const scene = useThree((state) => state.scene);
  const moves = useStore(pen, (state) => state.moves);
  const canvas = useThree((state) => state.gl.domElement);

  useEffect(() => {
    const root = () => {
      const { matrices, project } = stage.get();
      const o = 16 * rootOf(project.rig, session.getState().character);
      return new THREE.Vector3(matrices[o + 12] * scale, 0, matrices[o + 14] * scale);
    };
    let before = root();
    const frame = (way: THREE.Vector3 = USUAL, part?: string) => {
      before = root();
      const shown = stage.get();
      const { parts, rig } = shown.project;
      const { character } = session.getState();
      const joints = propsFrom(rig);
      const { name } = charactersOf(rig)[character];
      const wanted = (j: number) =>
        ownerOf(rig, j) === character && (part === undefined || parts[j] === sceneName(name, part));
      const own = boxes && new Map([...boxes].filter(([j]) => wanted(j)));
      const things =
        own && own.size > 0
          ? cornersToSee(shown, own, scale)
          : thingsToSee(shown, joints, scale, wide).filter((_, j) => wanted(j));
      if (things.length === 0) return;
      if (part === undefined) things.push(...wingsToSee(shown, scale));
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
    let boxes: JointBoxes | undefined;
    frame();
    const framed = camera.position.clone();
    let left = false;
    // A picture of the character is taken once all of it is there and in sight.
    scene.userData.framed = figure === undefined;
    if (figure)
      boxesOfAll(editor.seen.getState().project).then(
        (all) => {
          if (left) return;
          boxes = all;
          // Once it is known how far the surface reaches it is framed by that, unless it is looked at from elsewhere by now.
          if (camera.position.distanceTo(framed) < 1e-6) frame();
          scene.userData.framed = true;
        },
        // What cannot be read is said where it is shown.
        () => {
          scene.userData.framed = true;
        },
      );
    const follow = () => {
      const now = root();
      const step = now.clone().sub(before);
      before = now;
      if (!session.getState().follow || session.getState().through !== undefined || !controls.current) return;
      camera.position.add(step);
      controls.current.target.add(step);
      keepHead(camera, controls.current.target, stage.get(), session.getState().character, scale);
      controls.current.update();
    };
    const stop = stage.subscribe(follow);
    // What is followed is the character that is lit.
    const unlit = session.subscribe((now, was) => {
      if (now.character !== was.character) before = root();
    });
    const unframed = events.on('frameCharacter', () => frame());
    const unasked = events.on('lookFrom', (from) => {
      if (!controls.current) return;
      const { character } = session.getState();
      if (from === 'face') frame(faceOf(stage.get(), character), 'head');
      else if (typeof from === 'string') frame(sideOf(stage.get(), character, from));
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
    const seen = new THREE.Vector3();
    editor.onPicture = (place) => {
      const { fov, aspect } = camera as THREE.PerspectiveCamera;
      seen.fromArray(place as number[]).multiplyScalar(scale);
      camera.updateMatrixWorld();
      const depth = -seen.applyMatrix4(camera.matrixWorldInverse).z;
      seen.applyMatrix4(camera.projectionMatrix);
      const height = (2 * depth * Math.tan((fov * Math.PI) / 360)) / scale;
      return [(seen.x * aspect) / 2, -seen.y / 2, height];
    };
    return () => {
      left = true;
      stop();
      unasked();
      unframed();
      unlit();
      editor.viewpoint = undefined;
      editor.onPicture = undefined;
    };
    // `scale` changes with the rig: the camera frames a character anew when it changes, not when it moves.
  }, [editor, stage, session, events, camera, scene, canvas, invalidate, scale, wide, figure]);

  return (
    <OrbitControls
      ref={controls}
      makeDefault
      enableDamping={false}
      maxPolarAngle={1.7}
      minDistance={0.4}
      maxDistance={16}
      touches={{ ONE: moves ? THREE.TOUCH.PAN : THREE.TOUCH.ROTATE, TWO: THREE.TOUCH.DOLLY_ROTATE }}
    />
  );
}

/** How far the surfaces of all characters reach around their joints; one that cannot be read has none, but for the first. */
async function boxesOfAll({ scene, rig }: Project): Promise<JointBoxes> {
  const { spans } = topologyOf(rig);
  const all = await Promise.all(
    scene.characters.map(async ({ figure }, k) => {
      if (!figure) return [];
      const read = figureOf(figure.bytes).then(jointBoxes);
      const boxes = await (k === 0 ? read : read.catch((): JointBoxes => new Map()));
      return [...boxes].map(([joint, box]) => [joint + spans[k].from, box] as const);
    }),
  );
  return new Map(all.flat());
}

/** The way from the character to the camera at the start, as a part of the distance. */
const USUAL = new THREE.Vector3(0.56, 0.16, 0.86);

/** Where the character, or a joint of it, faces now: the way that it faces at rest, turned as the joint has turned. */
function aheadOf({ project, matrices }: Shown, joint: number): THREE.Vector3 {
  const { rig } = project;
  const bare = withoutFrames(rig);
  const rest = globalMatrices(bare, restPose(bare), new Float64Array(16 * rig.joints.length));
  const turnIn = (all: Float64Array) =>
    new THREE.Quaternion().setFromRotationMatrix(
      new THREE.Matrix4().extractRotation(new THREE.Matrix4().fromArray(all, 16 * joint)),
    );
  const turn = turnIn(matrices).multiply(turnIn(rest).invert());
  const own = characterOf(rig, Math.max(0, ownerOf(rig, joint)));
  return new THREE.Vector3(...facing(own, positionsAtRest(own))).applyQuaternion(turn);
}

/** The way to the camera that looks into the face. */
function faceOf(shown: Shown, character: number): THREE.Vector3 {
  const { name } = charactersOf(shown.project.rig)[character];
  const head = shown.project.parts.indexOf(sceneName(name, 'head'));
  return aheadOf(shown, Math.max(0, head)).normalize();
}

/** The way to the camera from the front, the left side or above the character as it heads now. */
function sideOf(shown: Shown, character: number, side: 'front' | 'side' | 'top'): THREE.Vector3 {
  const ahead = aheadOf(shown, rootOf(shown.project.rig, character)).setY(0);
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
  character: number,
  scale: number,
): void {
  const head = project.parts.lastIndexOf(sceneName(charactersOf(project.rig)[character].name, 'head'));
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

/** How far up and down wings are taken to beat, by their reach. */
const BEAT = 0.75;

/** Where wings go when they beat: above and below where they are held. */
function wingsToSee({ project, matrices }: Shown, scale: number): Seen[] {
  const at = (j: number) => new THREE.Vector3().fromArray(matrices, 16 * j + 12).multiplyScalar(scale);
  return project.parts.flatMap((part, j) => {
    if (!/Wing/.test(part) || j >= project.rig.joints.length) return [];
    const root = at(project.parts.indexOf(part));
    const reach = at(j).distanceTo(root);
    return [BEAT, -BEAT].map((beat) => ({ at: at(j).setY(root.y + beat * reach), radius: 0 }));
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
