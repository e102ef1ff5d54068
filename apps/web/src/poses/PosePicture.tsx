import type { SavedPose } from '@evlay/core';
import { characterOf } from '@evlay/core/rig';
import { useMemo } from 'react';
import { useProject } from '../editor/context.js';
import { FacePicture } from './FacePicture.js';
import { pictureOf } from './pose-picture.js';

/** A small picture of a saved pose on the open character; what it holds is drawn bright. */
export function PosePicture({ pose, size }: { pose: SavedPose; size: number }) {
  return pose.kind === 'face' ? (
    <FacePicture pose={pose} size={size} />
  ) : (
    <BodyPicture pose={pose} size={size} />
  );
}

function BodyPicture({ pose, size }: { pose: SavedPose; size: number }) {
  const rig = useProject((project) => project.rig);
  const parts = useProject((project) => project.parts);
  const picture = useMemo(() => pictureOf(characterOf(rig), parts, pose), [rig, parts, pose]);
  return (
    <svg
      width={size}
      height={size}
      viewBox={picture?.box.join(' ')}
      aria-hidden="true"
      style={{ display: 'block' }}
    >
      {picture?.bones.map(({ from, to, width, held }, k) => (
        <g key={k} strokeLinecap="round">
          <line
            x1={from[0]}
            y1={from[1]}
            x2={to[0]}
            y2={to[1]}
            stroke="var(--evlay-colors-ground)"
            strokeWidth={width * 1.35}
          />
          <line
            x1={from[0]}
            y1={from[1]}
            x2={to[0]}
            y2={to[1]}
            stroke={held ? 'var(--evlay-colors-text)' : 'var(--evlay-colors-line)'}
            strokeWidth={width}
          />
        </g>
      ))}
      {picture?.nose && (
        <line
          x1={picture.nose.from[0]}
          y1={picture.nose.from[1]}
          x2={picture.nose.to[0]}
          y2={picture.nose.to[1]}
          stroke="var(--evlay-colors-lamp)"
          strokeLinecap="round"
          strokeWidth={0.02 * picture.box[2]}
        />
      )}
    </svg>
  );
}
