import { walkOf } from '../../layer/applied-walk.js';
import { mapTime } from '../../layer/map-time.js';
import { FASTEST_RATE, type Project, SLOWEST_RATE } from '../../layer/project.js';
import { counted } from '../../layer/time-map.js';
import { appliedTo, takeAway } from '../keys/applied.js';
import { putWalk } from '../keys/walk.js';

/** Where the keys of a project stand when its rate has changed: at their moments, or on whole frames next to them. */
export type KeysAt = 'moments' | 'whole frames';

/**
 * Counts the same moments in other frames a second: nothing that is seen changes but at which frame numbers. The range
 * grows to whole frames. On whole frames, of keys that come to the same one the last stays.
 */
export function changeRate(project: Project, fps: number, keys: KeysAt = 'moments'): Project {
  if ((fps === project.fps && keys === 'moments') || !(fps >= SLOWEST_RATE && fps <= FASTEST_RATE))
    return project;
  const map = { ...counted(fps, project.fps), ...(keys === 'whole frames' && { whole: true }) };
  // Walks by rule are made anew at the new rate, so that their numbers stay.
  const walks = project.layers.flatMap((layer) => {
    const walk = appliedTo(layer, 'walk', []);
    return walk ? [{ id: layer.id, walk, numbers: walkOf(layer)! }] : [];
  });
  const plain = walks.reduce((now, { id, walk }) => takeAway(now, id, walk), project);
  const changed = { ...mapTime(plain, map).project, fps };
  const mapped = walks.reduce((now, { id, numbers }) => putWalk(now, id, numbers), changed);
  return {
    ...mapped,
    range: wholeRange(mapped.range),
    variants: mapped.variants.map((variant) =>
      variant.range ? { ...variant, range: wholeRange(variant.range) } : variant,
    ),
  };
}

/** The whole frames that a range is within. */
const wholeRange = ([first, last]: readonly [number, number]): readonly [number, number] => [
  Math.floor(first + 1e-6),
  Math.ceil(last - 1e-6),
];

/** Sets the number that people see for frame 0; nothing that is stored counts from it. */
export function setFirst(project: Project, first: number): Project {
  const { first: before = 0, ...rest } = project;
  const whole = Math.round(first);
  if (whole === before) return project;
  return whole === 0 ? rest : { ...rest, first: whole };
}
