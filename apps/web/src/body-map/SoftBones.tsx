import { layerById, layerIndex } from '@evlay/core';
import { memberAlpha } from '@evlay/core/evaluate';
import { useEffect, useId, useRef } from 'react';
import { useEditor, useProject } from '../editor/context.js';
import type { BoneShape } from './map-shapes.js';

/** The joints in which a layer counts otherwise than its part, as a gradient along the bones. */
export function SoftBones({ bones, lit }: { bones: readonly BoneShape[]; lit: string }) {
  const { stage } = useEditor();
  const id = useId();
  const group = useRef<SVGGElement>(null);
  const color = useProject((project) => layerById(project, lit)?.color);
  const joints = useProject((project) => layerById(project, lit)?.joints);
  const { rig } = useProject((project) => project);
  // A bone is shown where it, or what it leads to, has a weight of its own.
  const soft = joints
    ? bones.filter(({ joint, child }) =>
        [joint, child ?? joint].some((j) => joints[rig.joints[j]?.name ?? ''] !== undefined),
      )
    : [];
  const names = soft.map(({ joint, child }) => `${joint} ${child}`).join();

  // biome-ignore lint/correctness/useExhaustiveDependencies: the names say which bones there are
  useEffect(() => {
    const stops = [...(group.current?.querySelectorAll<SVGStopElement>('stop') ?? [])];
    const known = stops.map(() => '');
    const draw = () => {
      const { project, stack, frame } = stage.get();
      const index = layerIndex(project, lit);
      const compiled = stack.layers[index];
      if (!compiled) return;
      for (const [k, stop] of stops.entries()) {
        const joint = Number(stop.dataset.joint);
        // Where it has content it is seen in the joints of that alone.
        const counts = compiled.touched.length === 0 || compiled.touched.includes(joint);
        const opacity = counts ? Math.min(1, memberAlpha(compiled, joint, frame)).toFixed(3) : '0';
        if (known[k] === opacity) continue;
        known[k] = opacity;
        stop.setAttribute('stop-opacity', opacity);
      }
    };
    draw();
    return stage.subscribe(draw);
  }, [stage, lit, names]);

  return (
    <g ref={group} pointerEvents="none" data-soft>
      {soft.map(({ joint, child, outline, from, to }, k) => (
        <g key={`${joint} ${child}`}>
          <linearGradient
            id={`${id}-${k}`}
            gradientUnits="userSpaceOnUse"
            x1={from[0]}
            y1={from[1]}
            x2={to[0]}
            y2={to[1]}
          >
            <stop offset="0" data-joint={joint} stopColor={color ?? 'var(--evlay-colors-quiet)'} />
            <stop offset="1" data-joint={child ?? joint} stopColor={color ?? 'var(--evlay-colors-quiet)'} />
          </linearGradient>
          <path d={outline} fill="var(--evlay-colors-line)" />
          <path d={outline} fill={`url(#${id}-${k})`} />
        </g>
      ))}
    </g>
  );
}
