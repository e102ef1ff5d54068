import { smoothedPath } from '@evlay/core/edit';
import { useThree } from '@react-three/fiber';
import { useEffect, useMemo, useRef } from 'react';
import * as THREE from 'three';
import { perform } from '../../commands/command.js';
import { brushTrail } from '../../commands/view/trails.js';
import { useEditor, useSession } from '../../editor/context.js';
import type { Trails } from '../../editor/trail-points.js';
import { followPointer } from '../../gestures/pointer.js';
import { pressHandles } from './attach-handles.js';

/** Pixels around the pointer in which frames are under the brush. */
const RADIUS = 26;
/** How much a frame is brushed by a move of the pointer over it. */
const STROKE = 0.12;
/** Frames along the path that the brush reaches at once, and pixels that a frame further from the playhead is taken to be off. */
const ALONG = 8;
const AWAY = 0.3;

interface ArcBrushProps {
  readonly joint: number;
  readonly paths: Trails;
  readonly scale: number;
}

/**
 * While the brush is taken, a drag over the trail of a joint smooths the frames under it: what it comes to is drawn
 * meanwhile, and keyed on the lit layer when the brush is lifted. Escape takes the stroke back.
 */
export function ArcBrush({ joint, paths, scale }: ArcBrushProps) {
  const editor = useEditor();
  const on = useSession((state) => state.brush);
  const get = useThree((state) => state.get);
  const points = paths.result.get(joint)!;
  const strengths = useRef(new Float64Array(paths.count));
  const preview = useMemo(() => {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', new THREE.BufferAttribute(Float32Array.from(points), 3));
    const line = new THREE.Line(
      geometry,
      new THREE.LineBasicMaterial({ color: '#FFC857', depthTest: false, transparent: true }),
    );
    line.renderOrder = 9;
    line.visible = false;
    line.raycast = () => undefined;
    return line;
  }, [points]);

  useEffect(
    () => () => {
      preview.geometry.dispose();
      preview.material.dispose();
    },
    [preview],
  );

  useEffect(() => {
    if (!on) return;
    const { gl, camera, invalidate } = get();
    const canvas = gl.domElement;
    const place = new THREE.Vector3();
    const offAt = (k: number, x: number, y: number) => {
      const { size } = get();
      place
        .fromArray(points, 3 * k)
        .multiplyScalar(scale)
        .project(camera);
      return Math.hypot(((place.x + 1) / 2) * size.width - x, ((1 - place.y) / 2) * size.height - y);
    };
    /** The frame under the middle of the brush, of some; of those that are equally near the one nearest to the playhead. */
    const nearest = (from: number, to: number, x: number, y: number) => {
      let best = from;
      let least = Number.POSITIVE_INFINITY;
      for (let k = Math.max(0, from); k <= Math.min(paths.count - 1, to); k++) {
        const off = offAt(k, x, y) + AWAY * Math.abs(paths.from + k - editor.playhead.get());
        if (off < least) [best, least] = [k, off];
      }
      return best;
    };
    // A path that comes by again is brushed where the brush went along it, and not wherever it is seen.
    let middle: number | undefined;
    const brush = (x: number, y: number) => {
      middle =
        middle === undefined
          ? nearest(0, paths.count - 1, x, y)
          : nearest(middle - ALONG, middle + ALONG, x, y);
      for (let k = Math.max(0, middle - ALONG); k <= Math.min(paths.count - 1, middle + ALONG); k++) {
        const off = offAt(k, x, y);
        if (off < RADIUS)
          strengths.current[k] = Math.min(1, strengths.current[k] + STROKE * (1 - off / RADIUS) * 2);
      }
    };
    const show = () => {
      const smoothed = smoothedPath(points, strengths.current);
      (preview.geometry.getAttribute('position') as THREE.BufferAttribute).copyArray(
        Float32Array.from(smoothed),
      ).needsUpdate = true;
      preview.visible = strengths.current.some((strength) => strength > 0);
      invalidate();
      return smoothed;
    };
    const press = (event: PointerEvent) => {
      if (event.button !== 0) return;
      event.stopImmediatePropagation();
      pressHandles();
      strengths.current.fill(0);
      middle = undefined;
      const around = canvas.getBoundingClientRect();
      followPointer(event, {
        move(_dx, _dy, { clientX, clientY }) {
          brush(clientX - around.left, clientY - around.top);
          show();
        },
        end(kept) {
          const smoothed = show();
          const goals = new Map<number, readonly number[]>();
          for (const [k, strength] of strengths.current.entries())
            if (strength > 0 && k > 0 && k + 1 < paths.count)
              goals.set(paths.from + k, [...smoothed.subarray(3 * k, 3 * k + 3)]);
          strengths.current.fill(0);
          preview.visible = false;
          invalidate();
          if (kept && goals.size > 0) perform(editor, brushTrail, { joint, goals });
        },
      });
    };
    canvas.addEventListener('pointerdown', press, true);
    canvas.style.cursor = 'crosshair';
    return () => {
      canvas.removeEventListener('pointerdown', press, true);
      canvas.style.cursor = '';
    };
  }, [editor, on, get, points, paths, joint, scale, preview]);

  return (
    <group scale={scale}>
      <primitive object={preview} />
    </group>
  );
}
