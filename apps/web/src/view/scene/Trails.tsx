import { keyFrames, keyMarks, layerById, ownTime, takeOf, takesKeys } from '@evlay/core';
import { isWithin } from '@evlay/core/rig';
import { type ThreeEvent, useThree } from '@react-three/fiber';
import { useEffect, useMemo, useState } from 'react';
import * as THREE from 'three';
import { perform } from '../../commands/command.js';
import { litTarget } from '../../commands/scene/targets.js';
import { scrub } from '../../commands/view/transport.js';
import { canMove } from '../../commands/view/view.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { limbEndingAt } from '../../editor/limbs.js';
import { type Trails as Paths, trailing } from '../../editor/trail-points.js';
import { workWhenCalm } from '../../editor/when-calm.js';
import { ArcBrush } from '../handles/ArcBrush.js';
import { beginMove } from '../handles/move-joint.js';
import { bringInPlane, poseInPlane } from '../handles/pose-in-plane.js';

/** Joints whose trails are shown at once. */
const MOST_JOINTS = 6;
/** Pixels of a dot of a frame. */
const DOT = 4;
/** Radius of the ball of a key, in the view's units: about 2.5 cm on a person. */
const BALL = 0.024;

/**
 * The paths of the picked joints, with a dot a frame, so that spacing is seen: of what is seen bright, of the base pale.
 * Keys of the lit layer are balls that can be dragged: the joint, or the target that it has there, is brought along.
 */
export function Trails({ scale }: { scale: number }) {
  const editor = useEditor();
  const picked = useSession((state) => state.picked);
  const shown = useSession((state) => state.trails && !state.previewing);
  const [paths, setPaths] = useState<Paths>();
  // Of a hand that is picked with its fingers the trail is that of the hand.
  const joints = useMemo(() => {
    const project = editor.history.project();
    const ends = picked.filter((j) => limbEndingAt(project, j));
    return picked
      .filter((j) => !ends.some((end) => end !== j && isWithin(project.rig, j, end)))
      .slice(-MOST_JOINTS);
  }, [editor, picked]);
  useEffect(() => {
    setPaths(undefined);
    if (!shown || joints.length === 0) return;
    return workWhenCalm(editor, () => trailing(editor, joints), setPaths);
  }, [editor, joints, shown]);
  if (!paths || !shown) return null;
  return joints
    .filter((j) => paths.result.has(j))
    .map((j) => (
      <group key={j} userData={{ handles: true }}>
        <Path points={paths.base.get(j)!} scale={scale} color="#7E9C9A" faint />
        <Path points={paths.result.get(j)!} scale={scale} color="#EAF1EC" />
        <KeyBalls joint={j} paths={paths} scale={scale} />
        {j === joints.at(-1) && <ArcBrush joint={j} paths={paths} scale={scale} />}
      </group>
    ));
}

interface PathProps {
  readonly points: Float32Array;
  readonly scale: number;
  readonly color: string;
  readonly faint?: boolean;
}

/** A line through all frames, with a dot on each. */
function Path({ points, scale, color, faint = false }: PathProps) {
  const invalidate = useThree((state) => state.invalidate);
  const drawn = useMemo(() => {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', new THREE.BufferAttribute(points, 3));
    const shared = { color, transparent: true, opacity: faint ? 0.35 : 0.9, depthTest: faint };
    const line = new THREE.Line(geometry, new THREE.LineBasicMaterial(shared));
    const dots = new THREE.Points(
      geometry,
      new THREE.PointsMaterial({ ...shared, size: faint ? DOT - 1 : DOT, sizeAttenuation: false }),
    );
    for (const one of [line, dots]) {
      one.renderOrder = 5;
      // Paths are looked at: what lies behind them is picked.
      one.raycast = () => undefined;
    }
    return { geometry, line, dots };
  }, [points, color, faint]);
  useEffect(() => {
    invalidate();
    return () => {
      drawn.geometry.dispose();
      drawn.line.material.dispose();
      drawn.dots.material.dispose();
      invalidate();
    };
  }, [drawn, invalidate]);
  return (
    <group scale={scale}>
      <primitive object={drawn.line} />
      <primitive object={drawn.dots} />
    </group>
  );
}

/** The frames of the project on which the lit layer has keys, as far as a trail goes. */
function useKeyFrames({ from, count }: Paths): readonly number[] {
  const lit = useSession((state) => state.lit);
  const layer = useProject((project) => layerById(project, lit));
  const takes = useProject((project) => project.takes);
  const fps = useProject((project) => project.fps);
  return useMemo(() => {
    if (!layer) return [];
    const take = takes.find(({ id }) => id === takeOf(layer)?.take);
    const marks = keyMarks(ownTime(layer, take, fps), keyFrames(layer), from, from + count - 1);
    return [...new Set(marks.map(({ frame }) => Math.round(frame)))].filter(
      (frame) => frame >= from && frame < from + count,
    );
  }, [layer, takes, fps, from, count]);
}

function KeyBalls({ joint, paths, scale }: { joint: number; paths: Paths; scale: number }) {
  const editor = useEditor();
  const get = useThree((state) => state.get);
  const frames = useKeyFrames(paths);
  const points = paths.result.get(joint)!;
  const movable = useProject((project) =>
    canMove(project, layerById(project, editor.session.getState().lit), joint),
  );
  const playing = useSession((state) => state.playing);
  const keyed = useProject((project) => {
    const layer = layerById(project, editor.session.getState().lit);
    return layer !== undefined && takesKeys(layer);
  });
  if (playing || !keyed) return null;

  const grab = (event: ThreeEvent<PointerEvent>, frame: number, at: THREE.Vector3) => {
    if (event.button !== 0 || !movable) return;
    event.stopPropagation();
    perform(editor, scrub, frame);
    const { lit } = editor.session.getState();
    const project = editor.history.project();
    // A layer with a target on the joint moves the target.
    const target = litTarget(project, lit, project.rig.joints[joint].name);
    if (target) {
      const of = { layer: lit, target: target.id };
      bringInPlane(editor, get, event.nativeEvent, at, (place) => ({
        ...of,
        place: place.divideScalar(scale).toArray(),
      }));
      return;
    }
    const move = beginMove(editor, joint);
    poseInPlane(
      editor,
      get,
      event.nativeEvent,
      at,
      (place) => move(place.divideScalar(scale).toArray(), false).posing,
    );
  };

  return frames.map((frame) => {
    const at = new THREE.Vector3().fromArray(points, 3 * (frame - paths.from)).multiplyScalar(scale);
    return (
      <mesh key={frame} position={at} renderOrder={8} onPointerDown={(event) => grab(event, frame, at)}>
        <sphereGeometry args={[BALL, 14, 10]} />
        <meshBasicMaterial color="#FFC857" depthTest={false} transparent opacity={movable ? 0.95 : 0.5} />
      </mesh>
    );
  });
}
