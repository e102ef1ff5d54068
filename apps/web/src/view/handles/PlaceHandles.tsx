import { layerById, layerIndex, type Project } from '@evlay/core';
import { placedBelow } from '@evlay/core/check';
import { canBePlaced, placedCharacter, placementAt, spaceAt } from '@evlay/core/edit';
import { eulerToQuaternion, RADIANS } from '@evlay/core/math';
import { rootOf } from '@evlay/core/rig';
import { useThree } from '@react-three/fiber';
import { useEffect, useMemo } from 'react';
import * as THREE from 'three';
import { type Placing, place } from '../../commands/stack/layer-values.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import type { Editor } from '../../editor/editor.js';
import { beginGesture, type Gesture } from '../../gestures/gesture.js';
import { attachHandles } from './attach-handles.js';

/** The rotation of a layer's placement at a frame. */
function rotationOf(project: Project, id: string, frame: number): THREE.Quaternion {
  const q = [0, 0, 0, 1];
  const { rx, ry, rz } = placementAt(project, id, frame);
  eulerToQuaternion(q, 0, 'YXZ', [rx * RADIANS, ry * RADIANS, rz * RADIANS], 0);
  return new THREE.Quaternion().fromArray(q);
}

/** Where the layer's performance is meant at the frame that is shown, as the turn and place of its space. */
function spaceNow(
  editor: Editor,
  id: string,
): { turn: THREE.Quaternion; origin: THREE.Vector3; length: number } {
  const { stack, project, frame } = editor.stage.get();
  const layer = layerById(project, id)!;
  const placed = placedBelow(stack, frame, layerIndex(project, id));
  const { turn, origin, length } = spaceAt(project, layer, placed, layer.placement?.space);
  return {
    turn: new THREE.Quaternion(...(turn as [number, number, number, number])),
    origin: new THREE.Vector3(...(origin as [number, number, number])),
    length,
  };
}

/** Handles below the character that move and turn the whole performance of the lit layer. */
export function PlaceHandles({ scale }: { scale: number }) {
  const editor = useEditor();
  const lit = useSession((state) => state.lit);
  const handle = useSession((state) => state.handle);
  const playing = useSession((state) => state.playing);
  const placeable = useProject((project) => {
    const layer = layerById(project, lit);
    return layer !== undefined && canBePlaced(layer);
  });
  const object = useMemo(() => new THREE.Object3D(), []);
  const get = useThree((state) => state.get);
  const invalidate = useThree((state) => state.invalidate);

  useEffect(() => {
    if (playing || !placeable) return;
    const { stage, history, playhead } = editor;
    let gesture: Gesture<Placing> | undefined;
    let dragging = false;
    const start = { position: new THREE.Vector3(), tx: 0, ty: 0, tz: 0, space: spaceNow(editor, lit) };

    const putBelow = () => {
      if (dragging) return;
      const { matrices, project } = stage.get();
      const layer = layerById(project, lit);
      if (!layer) return;
      const o = 16 * rootOf(project.rig, placedCharacter(project, layer)) + 12;
      object.position.set(matrices[o], project.ground?.[1] ?? 0, matrices[o + 2]).multiplyScalar(scale);
      object.quaternion.copy(rotationOf(history.project(), lit, playhead.get()));
      object.quaternion.premultiply(spaceNow(editor, lit).turn);
      invalidate();
    };
    putBelow();
    const stop = stage.subscribe(putBelow);
    const handles = attachHandles(object, get, {
      does: handle === 'turn' ? 'turn' : 'move',
      size: 1.1,
      start() {
        start.position.copy(object.position);
        start.space = spaceNow(editor, lit);
        Object.assign(start, placementAt(history.project(), lit, playhead.get()));
        gesture = beginGesture(editor, place, { layer: lit }, () => {
          dragging = false;
          handles.letGo();
          putBelow();
        });
        dragging = gesture !== undefined;
        if (!gesture) handles.letGo();
      },
      drag() {
        if (!dragging) return;
        const { turn, origin, length } = start.space;
        const back = turn.clone().invert();
        const inSpace = (way: THREE.Vector3) => way.divideScalar(length).applyQuaternion(back).toArray();
        if (handle === 'turn') {
          const centre = inSpace(start.position.clone().divideScalar(scale).sub(origin));
          const to = back.clone().multiply(object.quaternion).toArray();
          gesture?.to({ layer: lit, rotation: { to, centre } });
          return;
        }
        const [x, y, z] = inSpace(object.position.clone().sub(start.position).divideScalar(scale));
        gesture?.to({
          layer: lit,
          values: { tx: start.tx + x, ty: start.ty + y, tz: start.tz + z },
        });
      },
      end() {
        gesture?.commit();
        putBelow();
      },
    });
    return () => {
      stop();
      gesture?.cancel();
      handles.detach();
    };
  }, [editor, lit, handle, playing, placeable, object, scale, get, invalidate]);

  return null;
}
