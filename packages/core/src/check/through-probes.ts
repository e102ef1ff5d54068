import type { Project } from '../layer/project.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { type Body, bodiesOf, pairsOf, penetration } from './bodies.js';
import type { Probe } from './probe.js';
import type { SeenMotion } from './seen.js';

/** Limbs, hands and bodies that pass through each other; those of one character that touch at rest may. */
export function throughProbes(project: Project): Probe[] {
  const centimetres = 100 * project.metresPerUnit;
  const bodies = bodiesOf(project.rig, compiledLimbs(project.rig, project.limbs), project.parts);
  return pairsOf(project.rig, bodies).map(
    ([a, b]): ThroughProbe => ({
      kind: 'through',
      unit: 'cm',
      joint: a.from,
      other: b.from,
      looks: [a.from, a.to, b.from, b.to],
      around: 0,
      at: depthAt,
      a,
      b,
      centimetres,
    }),
  );
}

/** Two bodies, and how many centimetres a unit of the rig is. */
interface ThroughProbe extends Probe {
  readonly a: Body;
  readonly b: Body;
  readonly centimetres: number;
}

const depthAt = (seen: SeenMotion, f: number, { a, b, centimetres }: ThroughProbe): number =>
  penetration(seen, f, a, b) * centimetres;
