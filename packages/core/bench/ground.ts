import { existsSync, readFileSync } from 'node:fs';
import { causesOf, findingSteps, headroomSteps } from '../src/check/index.js';
import { addProp, keepContacts, projectFromTake } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import {
  type CompiledStack,
  compileStack,
  evaluateStack,
  finished,
  keyed,
  type Layer,
  newKey,
  newLayer,
  type Project,
  restPose,
} from '../src/index.js';
import { findContacts } from '../src/make/index.js';
import { type Line, measure } from './measure.js';
import { random } from './subject.js';

const CAPTURE = '/usr/share/assimp/models/BVH/01_01.bvh';

/** A capture of 31 joints among props, under 15 keyed layers on all of them, 10 seconds at 30 a second; and with its contacts held above. */
function subject(props: number): { project: Project; kept: Project } {
  const { take } = readTake('01_01.bvh', readFileSync(CAPTURE));
  const plain = Array.from({ length: props }, (_, k) => k).reduce(
    (project, k) =>
      addProp(project, { name: `Prop ${k}`, shape: 'box', size: [1, 1, 1], at: [k, 0, 0], turn: [0, 0, 0] }),
    projectFromTake(take),
  );
  const next = random(4);
  const layers = Array.from(
    { length: 15 },
    (_, k): Layer =>
      newLayer(`Layer ${k}`, 'additive', {
        id: `layer ${k}`,
        weight: 0.5,
        content: keyed(
          Object.fromEntries(
            plain.rig.joints
              .filter((_, j) => j % 3 === k % 3)
              .map(({ name }) => [
                name,
                { rx: { keys: [0, 100, 200, 300].map((frame) => newKey(frame, 6 * (next() - 0.5))) } },
              ]),
          ),
        ),
      }),
  );
  const project: Project = {
    ...plain,
    fps: 30,
    range: [60, 360],
    takes: [{ ...take, contacts: findContacts(take, plain.metresPerUnit) }],
    layers: [...plain.layers, ...layers],
  };
  return { project, kept: keepContacts(project)!.project };
}

/** What contacts, findings, their causes and headroom cost. */
export function groundLines(): Line[] {
  if (!existsSync(CAPTURE)) return [];
  const { project, kept } = subject(0);
  const crowded = subject(34);
  const pose = restPose(crowded.project.rig);
  let stack: CompiledStack | undefined;
  let weight = 0;
  const drag = (of: Project) => () => {
    weight = (weight + 0.01) % 1;
    const layers = of.layers.with(3, { ...of.layers[3], weight });
    stack = compileStack({ ...of, layers }, stack);
    evaluateStack(stack, 200, pose);
  };
  const play = (of: Project) => {
    const whole = compileStack(of);
    for (let frame = of.range[0]; frame <= of.range[1]; frame++) evaluateStack(whole, frame, pose);
  };
  const found = finished(findingSteps(kept));
  const slide = found.find(({ kind }) => kind === 'slide' || kind === 'floor' || kind === 'pop') ?? found[0];
  return [
    measure('drag a weight under held contacts, 65 joints, 16 layers', 'ms', 1e3, 1, drag(crowded.kept)),
    measure(
      'play 300 frames with held contacts / without, 65 joints',
      'ms',
      1e3,
      1,
      () => play(crowded.kept),
      () => play(crowded.project),
    ),
    measure('all findings of 300 frames', 'ms', 1e3, 1, () => finished(findingSteps(kept))),
    measure('the causes of one finding', 'ms', 1e3, 1, () => causesOf(kept, slide)),
    measure('the headroom of 120 frames', 'ms', 1e3, 1, () =>
      finished(headroomSteps({ ...project, range: [60, 180] }, 'layer 3', undefined)),
    ),
  ];
}
