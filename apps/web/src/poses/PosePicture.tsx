import type { SavedPose } from '@evlay/core';
import { useMemo } from 'react';
import { castOf, ownParts } from '../editor/cast.js';
import { useProject, useSession } from '../editor/context.js';
import { FacePicture } from './FacePicture.js';
import { pictureOf } from './pose-picture.js';

/** A small picture of a saved pose on the lit character; what it holds is drawn bright. */
export function PosePicture({ pose, size }: { pose: SavedPose; size: number }) {
  return pose.kind === 'face' ? (
    <FacePicture pose={pose} size={size} />
  ) : (
    <BodyPicture pose={pose} size={size} />
  );
}

function BodyPicture({ pose, size }: { pose: SavedPose; size: number }) {
  const rig = useProject((project) => project.rig);
  const scene = useProject((project) => project.scene);
  const parts = useProject((project) => project.parts);
  const character = useSession((state) => state.character);
  const picture = useMemo(() => {
    const cast = castOf({ rig, scene, name: '' }, character);
    return pictureOf(cast.rig, ownParts({ parts, scene }, cast), pose);
  }, [rig, scene, parts, character, pose]);
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
