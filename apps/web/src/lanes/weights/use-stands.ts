import type { Layer, Project, Stands } from '@evlay/core';
import { standsSaid, withAllFeet } from '@evlay/core/check';
import { useEffect, useState } from 'react';
import { useCalmProject } from '../../editor/context.js';
import { standsIn } from '../../jobs/findings.js';

/** Milliseconds that are waited for after the last change until contacts are looked for. */
const CALM = 250;

interface Found {
  readonly of: Project;
  readonly layer: Layer;
  readonly stands: Stands;
}

/** Whether what was found in keys still holds: nothing has changed of what it was found in. */
const holds = ({ of, layer }: Found, now: Project, keys: Layer): boolean =>
  layer.content === keys.content &&
  layer.time === keys.time &&
  of.rig === now.rig &&
  of.limbs === now.limbs &&
  of.fps === now.fps &&
  of.range[0] === now.range[0] &&
  of.range[1] === now.range[1];

/**
 * When limbs stand by the keys of a layer, in its own frames, with all feet: as it says or by the numbers of its walk, or else as a worker
 * finds it in what the keys show. `outdated` where that is not done yet for how it is now.
 */
export function useStands(layer: Layer): { readonly stands?: Stands; readonly outdated: boolean } {
  const project = useCalmProject((current) => current);
  const [found, setFound] = useState<Found>();
  const [failed, setFailed] = useState<Project>();
  const keys = project.layers.find(({ id }) => id === layer.id) ?? layer;
  const said = standsSaid(project, keys);
  const fresh = found !== undefined && holds(found, project, keys);
  const look = !said && !fresh && failed !== project && keys.content.kind === 'curves';
  useEffect(() => {
    if (!look) return;
    let ended = false;
    const timer = setTimeout(async () => {
      try {
        const stands = await standsIn(project, keys.id);
        if (!ended) setFound({ of: project, layer: keys, stands });
      } catch {
        // Findings tell what is wrong with the worker; the lane stays without rows.
        if (!ended) setFailed(project);
      }
    }, CALM);
    return () => {
      ended = true;
      clearTimeout(timer);
    };
  }, [look, project, keys]);
  if (keys.content.kind !== 'curves') return { outdated: false };
  const stands = said ?? found?.stands;
  return { ...(stands && { stands: withAllFeet(project, stands) }), outdated: !said && !fresh };
}
