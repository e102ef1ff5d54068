import type { Project, Scalar, Stands, Steps } from '@evlay/core';
import { layerById, scalarAtAddress } from '@evlay/core';
import {
  type Causes,
  causesOf,
  type Finding,
  type FindingLimits,
  type FindingSearch,
  findingSteps,
  type Headroom,
  headroomSteps,
  standsOf,
} from '@evlay/core/check';
import { addressOfRoom, stayUnderSteps } from '@evlay/core/edit';
import { Cancelled, inSlices } from '@evlay/core/job';
import type { ProjectOutline } from './outline.js';
import { serve } from './serve.js';
import { takeCache } from './take-cache.js';

const { api: held, projectOf } = takeCache();

/** What was asked last of each kind: what is older is given up. */
const latest = new Map<string, { aborted: boolean }>();

/** Does steps until something newer of its kind is asked; undefined then. */
async function worked<T>(kind: 'project' | 'take' | 'headroom', steps: Steps<T>): Promise<T | undefined> {
  const before = latest.get(kind);
  if (before) before.aborted = true;
  const signal = { aborted: false };
  latest.set(kind, signal);
  try {
    return await inSlices(steps, { signal });
  } catch (error) {
    if (error instanceof Cancelled) return undefined;
    throw error;
  }
}

const api = {
  ...held,

  /** Everything that is found in a project, or in a take alone; undefined where it is asked of another meanwhile. */
  findings(
    outline: ProjectOutline,
    limits: FindingLimits,
    of: 'project' | 'take',
    near?: number,
    onWindow?: FindingSearch['onWindow'],
  ): Promise<Finding[] | undefined> {
    return worked(of, findingSteps(projectOf(outline), limits, { near, onWindow }));
  },

  /** Everything that is found in a project, whatever is asked meanwhile. */
  async delivered(outline: ProjectOutline, limits: FindingLimits): Promise<Finding[]> {
    return inSlices(findingSteps(projectOf(outline), limits));
  },

  /** When limbs stand by the keys of a layer. */
  stands(outline: ProjectOutline, layer: string): Stands {
    const project = projectOf(outline);
    return standsOf(project, layerById(project, layer)!);
  },

  /** What a finding comes from. */
  causes(outline: ProjectOutline, finding: Finding): Causes {
    return causesOf(projectOf(outline), finding);
  },

  /** How far a layer, or it in a part, can be turned up. */
  headroom(
    outline: ProjectOutline,
    layer: string,
    part: string | undefined,
    limits: FindingLimits,
  ): Promise<Headroom | undefined> {
    return worked('headroom', headroomSteps(projectOf(outline), layer, part, limits));
  },

  /** The weight of a layer that stays under its headroom. */
  async under(outline: ProjectOutline, room: Headroom, limits: FindingLimits): Promise<Scalar | undefined> {
    const project: Project = projectOf(outline);
    const after = await worked('headroom', stayUnderSteps(project, room, limits));
    const layer = after?.layers.find(({ id }) => id === room.layer);
    return layer && scalarAtAddress(layer, addressOfRoom(room));
  },
};

export type CheckApi = typeof api;

serve(api);
