import { layerById, type Target, type TargetPath, targetsOf } from '@evlay/core';
import { drawnPath } from '@evlay/core/edit';
import { jointIndex, type Vector3 } from '@evlay/core/rig';
import { type ThreeEvent, useThree } from '@react-three/fiber';
import { useEffect, useMemo, useState } from 'react';
import * as THREE from 'three';
import { perform } from '../../commands/command.js';
import { addPathPoint, dropPathPoint, movePathPoint } from '../../commands/scene/paths.js';
import { item, openMenu } from '../../controls/context-menu.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { beginGesture } from '../../gestures/gesture.js';
import { dragInPlane } from './drag-in-plane.js';

/** Size of a point, in view units, in which every character is 1.6 tall. */
const POINT = 0.035;
/** Places at which the curve is drawn, a piece. */
const DRAWN = 24;

const NO_TARGETS: readonly Target[] = [];

/** The paths of the lit layer as curves with points that are dragged; a right click adds one or takes one out. */
export function PathHandles({ scale }: { scale: number }) {
  const lit = useSession((state) => state.lit);
  const playing = useSession((state) => state.playing);
  const targets = useProject((project) => {
    const layer = layerById(project, lit);
    return layer ? targetsOf(layer) : NO_TARGETS;
  });
  const color = useProject((project) => layerById(project, lit)?.color ?? '#EAF1EC');
  if (playing) return null;
  return targets.flatMap((target) =>
    target.path ? (
      <PathSeen key={target.id} layer={lit} target={target} path={target.path} color={color} scale={scale} />
    ) : (
      []
    ),
  );
}

interface PathProps {
  readonly layer: string;
  readonly target: Target;
  readonly path: TargetPath;
  readonly color: string;
  readonly scale: number;
}

function PathSeen({ layer, target, path, color, scale }: PathProps) {
  const editor = useEditor();
  const { stage } = editor;
  const get = useThree((state) => state.get);
  const invalidate = useThree((state) => state.invalidate);
  const [over, setOver] = useState<number>();
  // All of it moves with the space in which it is.
  const group = useMemo(() => {
    const object = new THREE.Group();
    object.matrixAutoUpdate = false;
    return object;
  }, []);
  useEffect(() => {
    const follow = () => {
      const { matrices, project } = stage.get();
      const space = target.space === undefined ? -1 : jointIndex(project.rig, target.space);
      group.matrix.identity();
      if (space >= 0) {
        const at = new THREE.Vector3();
        const turn = new THREE.Quaternion();
        new THREE.Matrix4().fromArray(matrices, 16 * space).decompose(at, turn, new THREE.Vector3());
        group.matrix.compose(at, turn, new THREE.Vector3(1, 1, 1));
      }
      group.matrix.premultiply(new THREE.Matrix4().makeScale(scale, scale, scale));
      group.updateMatrixWorld(true);
      invalidate();
    };
    follow();
    return stage.subscribe(follow);
  }, [stage, group, scale, target.space, invalidate]);
  const line = useMemo(() => {
    const pieces = path.closed ? path.points.length : path.points.length - 1;
    const geometry = new THREE.BufferGeometry();
    const places = Float32Array.from(drawnPath(path, pieces * DRAWN + 1));
    geometry.setAttribute('position', new THREE.BufferAttribute(places, 3));
    const drawn = new THREE.Line(
      geometry,
      new THREE.LineBasicMaterial({ color, transparent: true, opacity: 0.9, depthTest: false }),
    );
    drawn.raycast = () => undefined;
    drawn.renderOrder = 8;
    return drawn;
  }, [path, color]);
  useEffect(() => {
    invalidate();
    return () => {
      line.geometry.dispose();
      line.material.dispose();
    };
  }, [line, invalidate]);

  const drag = (event: ThreeEvent<PointerEvent>, point: number) => {
    if (event.nativeEvent.button !== 0) return;
    event.stopPropagation();
    const of = { layer, target: target.id, point };
    const at = new THREE.Vector3(...path.points[point]).applyMatrix4(group.matrix);
    const gesture = beginGesture(editor, movePathPoint, { ...of, to: path.points[point] }, () =>
      stop?.(false),
    );
    const back = group.matrix.clone().invert();
    const stop = gesture
      ? dragInPlane(get, event.nativeEvent, at, {
          move: (place) =>
            gesture.to({ ...of, to: place.applyMatrix4(back).toArray() as unknown as Vector3 }),
          end: (kept) => (kept ? gesture.commit() : gesture.cancel()),
        })
      : undefined;
  };
  const menu = (event: ThreeEvent<MouseEvent>, point: number) => {
    event.stopPropagation();
    const of = { layer, target: target.id };
    openMenu(event.nativeEvent, [
      item(addPathPoint, { ...of, after: point }, 'Add a point behind this one'),
      item(dropPathPoint, { ...of, point }, 'Take this point out'),
    ]);
  };
  return (
    <primitive object={group}>
      <primitive object={line} />
      {path.points.map((point, k) => (
        // biome-ignore lint/a11y/noStaticElementInteractions: an object of the 3D scene; points are added and taken out by key in the panel Layer
        <mesh
          key={`${k}`}
          position={[point[0], point[1], point[2]]}
          scale={(POINT * (over === k ? 1.3 : 1)) / scale}
          renderOrder={9}
          onPointerDown={(event) => drag(event, k)}
          onContextMenu={(event) => menu(event, k)}
          onDoubleClick={(event) => {
            event.stopPropagation();
            perform(editor, addPathPoint, { layer, target: target.id, after: k });
          }}
          onPointerOver={() => setOver(k)}
          onPointerOut={() => setOver(undefined)}
        >
          <sphereGeometry args={[1, 16, 12]} />
          <meshBasicMaterial color={over === k ? '#FFC857' : color} depthTest={false} transparent />
        </mesh>
      ))}
    </primitive>
  );
}
