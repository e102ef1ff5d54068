import {
  distanceRows,
  lowerPerformance,
  type Performance,
  rowsOf,
  upperPerformance,
  usualWish,
} from '../src/cross/index.js';
import { convertLayer, letThrough, projectFromTake, softenBorders } from '../src/edit/index.js';
import { finished, keyed, newKey, newLayer, type Project, playing } from '../src/index.js';
import { type Line, measure } from './measure.js';
import { random, rigOfSize, takeOfSize } from './subject.js';

/** Crossings of two takes of 1,000 frames on 65 joints, and a keyed layer that is converted over 1,000 frames. */
export function blendLines(): Line[] {
  const rig = rigOfSize(65);
  const takes = [takeOfSize(rig, 1000, 1), takeOfSize(rig, 1000, 2)];
  const next = random(3);
  const curve = () => ({ keys: Array.from({ length: 50 }, (_, k) => newKey(20 * k, 20 * (next() - 0.5))) });
  const names = rig.joints.slice(5, 25).map(({ name }) => name);
  const keys = keyed(
    Object.fromEntries(names.map((name) => [name, { rx: curve(), ry: curve(), rz: curve() }])),
  );
  const project: Project = {
    ...projectFromTake(takes[0]),
    parts: rig.joints.map((_, j) => `part ${j % 20}`),
    range: [0, 999],
    takes,
    layers: [
      newLayer('Base', 'override', { id: 'base', content: playing(takes[0].id) }),
      newLayer('Upper', 'override', {
        id: 'upper',
        content: playing(takes[1].id),
        weight: { keys: [newKey(0, 0.2), newKey(999, 0.8)] },
        mask: { 'part 3': 1 },
      }),
      newLayer('Keyed', 'additive', { id: 'keyed', content: keys }),
    ],
  };
  const wish = usualWish(project.fps);
  const sample = (): [Performance, Performance] => [
    finished(lowerPerformance(project, 'base', project.range)),
    finished(upperPerformance(project, 'upper', 0)),
  ];
  const [a, b] = sample().map((performance) => rowsOf(performance));
  let from = 0;
  return [
    measure('sample two performances of 1,000 frames', 'ms', 1e3, 1, sample),
    measure('compare 1,000 by 1,000 frames (one core)', 's', 1, 0.02, () => {
      from = (from + 20) % 980;
      distanceRows(a, b, wish.reach, from, from + 20);
    }),
    measure('convert 20 keyed joints over 1,000 frames', 'ms', 1e3, 1, () =>
      convertLayer(project, 'keyed', { axes: 'world' }),
    ),
    measure('look over 1,000 frames for what two weights let through', 'ms', 1e3, 1, () =>
      letThrough(project, 'upper'),
    ),
    measure('soften the borders of a layer', 'ms', 1e3, 1, () =>
      softenBorders(project, 'upper', { joints: 4 }),
    ),
  ];
}
