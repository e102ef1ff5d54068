import { layerById, type Project, turnPlacement } from '@evlay/core';
import { canBePlaced, placementAt, setPlacement } from '@evlay/core/edit';
import { eulerToQuaternion, RADIANS } from '@evlay/core/math';
import { useThree } from '@react-three/fiber';
import { useEffect, useMemo, useRef } from 'react';
import * as THREE from 'three';
import { playhead } from '../state/playhead.js';
import { currentProject, edit, useProject } from '../state/project-store.js';
import { sessionStore, useSession } from '../state/session-store.js';
import { stage } from '../state/stage.js';
import { attachHandles } from './attach-handles.js';

/** The turn of a layer's placement at the playhead. */
function turnOf(project: Project, id: string): THREE.Quaternion {
  const layer = layerById(project, id);
  const q = [0, 0, 0, 1];
  if (layer) {
    const { rx, ry, rz } = placementAt(layer, playhead.get());
    eulerToQuaternion(q, 0, 'YXZ', [rx * RADIANS, ry * RADIANS, rz * RADIANS], 0);
  }
  return new THREE.Quaternion().fromArray(q);
}

/** Handles below the character that move and turn the whole performance of the lit layer. */
export function PlaceHandles({ scale }: { scale: number }) {
  const lit = useSession((state) => state.lit);
  const handle = useSession((state) => state.handle);
  const playing = useSession((state) => state.playing);
  const placeable = useProject((project) => {
    const layer = layerById(project, lit);
    return layer !== undefined && canBePlaced(layer) && !layer.locked;
  });
  const object = useMemo(() => new THREE.Object3D(), []);
  const dragging = useRef(false);
  const get = useThree((state) => state.get);
  const invalidate = useThree((state) => state.invalidate);

  useEffect(() => {
    if (playing || !placeable) return;
    const place = () => {
      const shown = stage.get();
      if (!shown || dragging.current) return;
      object.position.set(shown.matrices[12], 0, shown.matrices[14]).multiplyScalar(scale);
      object.quaternion.copy(turnOf(currentProject(), lit));
      invalidate();
    };
    place();
    const stop = stage.subscribe(place);
    let from = { project: currentProject(), place: new THREE.Vector3(), drag: Symbol('place') };
    const start = () => {
      dragging.current = true;
      from = { project: currentProject(), place: object.position.clone(), drag: Symbol('place') };
    };
    const drag = () => {
      if (!dragging.current) return;
      const frame = playhead.get();
      const layer = layerById(from.project, sessionStore.getState().lit);
      if (!layer) return;
      if (handle === 'turn') {
        const about = from.place.clone().divideScalar(scale).toArray();
        edit(
          () => turnPlacement(from.project, layer.id, frame, object.quaternion.toArray(), about),
          from.drag,
        );
        return;
      }
      const [x, y, z] = object.position.clone().sub(from.place).divideScalar(scale).toArray();
      const { tx, ty, tz } = placementAt(layer, frame);
      edit(
        () => setPlacement(from.project, layer.id, frame, { tx: tx + x, ty: ty + y, tz: tz + z }),
        from.drag,
      );
    };
    const end = () => {
      dragging.current = false;
      place();
    };
    const detach = attachHandles(object, get, { turns: handle === 'turn', size: 1.1, start, drag, end });
    return () => {
      stop();
      detach();
    };
  }, [lit, handle, playing, placeable, object, scale, get, invalidate]);

  return null;
}
