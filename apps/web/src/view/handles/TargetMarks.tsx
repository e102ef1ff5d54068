import { isLive } from '@evlay/core';
import { alphaAt, contactStepOf, spanCounts, targetStepOf } from '@evlay/core/evaluate';
import { useThree } from '@react-three/fiber';
import { type RefObject, useEffect, useMemo } from 'react';
import * as THREE from 'three';
import { useEditor, useSession } from '../../editor/context.js';
import type { Shown } from '../../editor/stage.js';

/** Sizes in view units, in which every character is 1.6 tall. */
const RING = 0.055;
const DISC = 0.075;
/** Centimetres from which a gap is shown. */
const LEAST = 0.5;
/** How much of a mark is left while handles are dragged, which it would hide. */
const FAINT = 0.3;
const ALARM = '#FF7A66';

/** One mark: a ring where a joint has to be, with a thread to its space; or a disc under what stands. */
interface Mark {
  readonly color: string;
  readonly at: THREE.Vector3;
  readonly to?: THREE.Vector3;
  /** Where the joint is, where that is not at the target, and by how many centimetres. */
  readonly missed?: { readonly end: THREE.Vector3; readonly by: number };
  readonly flat: boolean;
  readonly strong: number;
}

/** What targets and contacts there are at the frame that is shown, in view units. */
function marksOf(shown: Shown, scale: number): Mark[] {
  const { stack, matrices, project, frame } = shown;
  const marks: Mark[] = [];
  const floor = (project.ground?.[1] ?? 0) * scale;
  const placeOf = (j: number) => new THREE.Vector3().fromArray(matrices, 16 * j + 12).multiplyScalar(scale);
  for (const [index, { layer, steps, additive }] of stack.layers.entries()) {
    if (!isLive(project.layers, project.groups, index)) continue;
    const color = layer.color ?? '#EAF1EC';
    for (const { found, space, joint, counts } of targetStepOf(steps)?.targets ?? []) {
      const strong = alphaAt(stack, index, counts[1], frame);
      if (!(strong > 0)) continue;
      const at = new THREE.Vector3(found[0], found[1], found[2]).multiplyScalar(scale);
      const by = found[3] * project.metresPerUnit * 100;
      const to = additive ? undefined : space >= 0 ? placeOf(space) : at.clone().setY(floor);
      marks.push({
        color,
        at,
        to,
        flat: false,
        strong: Math.min(1, strong),
        ...(by > LEAST && { missed: { end: placeOf(joint), by } }),
      });
    }
    for (const held of contactStepOf(steps)?.limbs ?? []) {
      const alpha = alphaAt(stack, index, held.counts, frame);
      const counts = alpha * Math.max(0, ...held.spans.map((_, k) => spanCounts(held, k, frame)));
      if (counts === 0) continue;
      const { chain } = held.limb;
      const under = placeOf(held.points[held.points.length - 1].joint).add(placeOf(chain[chain.length - 1]));
      marks.push({ color, at: under.multiplyScalar(0.5).setY(floor + 0.004), flat: true, strong: counts });
    }
  }
  return marks;
}

/** Rings, threads and discs that show where targets and contacts hold. `tag` says by how much the worst is missed. */
export function TargetMarks({ scale, tag }: { scale: number; tag: RefObject<HTMLElement | null> }) {
  const { stage } = useEditor();
  const playing = useSession((state) => state.playing);
  const handling = useSession((state) => state.handling);
  const get = useThree((state) => state.get);
  const invalidate = useThree((state) => state.invalidate);
  const group = useMemo(() => new THREE.Group(), []);
  useEffect(() => {
    // While it plays they are not shown.
    if (playing) return;
    const ring = new THREE.TorusGeometry(RING, 0.006, 8, 36);
    const disc = new THREE.RingGeometry(DISC * 0.72, DISC, 36).rotateX(-Math.PI / 2);
    const made: THREE.Material[] = [];
    const line = (from: THREE.Vector3, to: THREE.Vector3, color: string, opacity: number) => {
      const material = new THREE.LineBasicMaterial({ color, transparent: true, opacity, depthTest: false });
      made.push(material);
      const thread = new THREE.Line(new THREE.BufferGeometry().setFromPoints([from, to]), material);
      thread.raycast = () => undefined;
      thread.renderOrder = 8;
      return thread;
    };
    const draw = () => {
      for (const child of [...group.children]) {
        group.remove(child);
        if (child instanceof THREE.Line) child.geometry.dispose();
      }
      for (const material of made.splice(0)) material.dispose();
      const marks = marksOf(stage.get(), scale);
      for (const { color, at, to, missed, flat, strong } of marks) {
        const material = new THREE.MeshBasicMaterial({
          color: missed ? ALARM : color,
          transparent: true,
          opacity: (0.35 + 0.6 * strong) * (handling ? FAINT : 1),
          depthTest: flat,
          side: THREE.DoubleSide,
        });
        made.push(material);
        const mesh = new THREE.Mesh(flat ? disc : ring, material);
        mesh.raycast = () => undefined;
        mesh.renderOrder = 9;
        mesh.position.copy(at);
        // A ring faces who looks.
        if (!flat) mesh.onBeforeRender = (_, __, camera) => mesh.quaternion.copy(camera.quaternion);
        group.add(mesh);
        if (to) group.add(line(at, to, color, 0.55 * strong));
        if (missed) group.add(line(at, missed.end, ALARM, 1));
      }
      sayWorst(marks);
      invalidate();
    };
    const sayWorst = (marks: readonly Mark[]) => {
      const worst = marks.reduce<Mark | undefined>(
        (most, one) => ((one.missed?.by ?? 0) > (most?.missed?.by ?? 0) ? one : most),
        undefined,
      );
      if (!tag.current) return;
      tag.current.hidden = worst?.missed === undefined;
      if (!worst?.missed) return;
      tag.current.textContent = `${worst.missed.by.toFixed(1)} cm short`;
      const { camera, size } = get();
      const seen = worst.at.clone().project(camera);
      tag.current.style.transform = `translate(${(((seen.x + 1) / 2) * size.width).toFixed(1)}px, ${(((1 - seen.y) / 2) * size.height).toFixed(1)}px)`;
    };
    draw();
    const stops = [stage.subscribe(draw)];
    const controls = get().controls as unknown as THREE.EventDispatcher<{ change: object }> | null;
    const turned = () => sayWorst(marksOf(stage.get(), scale));
    controls?.addEventListener('change', turned);
    return () => {
      controls?.removeEventListener('change', turned);
      stops.forEach((stop) => void stop());
      for (const child of [...group.children]) group.remove(child);
      for (const material of made) material.dispose();
      ring.dispose();
      disc.dispose();
    };
  }, [stage, group, scale, tag, handling, playing, get, invalidate]);
  return playing ? null : <primitive object={group} />;
}
