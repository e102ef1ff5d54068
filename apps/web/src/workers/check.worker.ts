import type { Project, Scalar, Steps } from '@evlay/core';
import { scalarAtAddress } from '@evlay/core';
import {
  type Causes,
  causesOf,
  type Finding,
  type FindingLimits,
  findingSteps,
  type Headroom,
  headroomSteps,
} from '@evlay/core/check';
import { addressOfRoom, stayUnderSteps } from '@evlay/core/edit';
import { expose } from 'comlink';
import { heldTakes } from './held-takes.js';
import { type ProjectOutline, withTakes } from './outline.js';

/** Milliseconds that are worked before a look whether something newer is asked. */
const STRETCH = 20;

const { takes, api: held } = heldTakes();

/** What was asked last of each kind: what is older is given up. */
const latest = { project: 0, take: 0, headroom: 0 };

const pause = () => new Promise((resolve) => setTimeout(resolve));

/** Does steps until something newer of its kind is asked; undefined then. */
async function worked<T>(kind: keyof typeof latest, steps: Steps<T>): Promise<T | undefined> {
  const mine = ++latest[kind];
  for (;;) {
    const end = performance.now() + STRETCH;
    while (performance.now() < end) {
      const step = steps.next();
      if (step.done) return step.value;
    }
    await pause();
    if (latest[kind] !== mine) return undefined;
  }
}

const api = {
  ...held,

  /** Everything that is found in a project, or in a take alone; undefined where it is asked of another meanwhile. */
  findings(
    outline: ProjectOutline,
    limits: FindingLimits,
    of: 'project' | 'take',
  ): Promise<Finding[] | undefined> {
    return worked(of, findingSteps(withTakes(outline, takes), limits));
  },

  /** What a finding comes from. */
  causes(outline: ProjectOutline, finding: Finding): Causes {
    return causesOf(withTakes(outline, takes), finding);
  },

  /** How far a layer, or it in a part, can be turned up. */
  headroom(
    outline: ProjectOutline,
    layer: string,
    part: string | undefined,
    limits: FindingLimits,
  ): Promise<Headroom | undefined> {
    return worked('headroom', headroomSteps(withTakes(outline, takes), layer, part, limits));
  },

  /** The weight of a layer that stays under its headroom. */
  async under(outline: ProjectOutline, room: Headroom, limits: FindingLimits): Promise<Scalar | undefined> {
    const project: Project = withTakes(outline, takes);
    const after = await worked('headroom', stayUnderSteps(project, room, limits));
    const layer = after?.layers.find(({ id }) => id === room.layer);
    return layer && scalarAtAddress(layer, addressOfRoom(room));
  },
};

export type CheckApi = typeof api;

expose(api);
