import {
  addProp,
  changeProp,
  curvesOf,
  movePicked,
  projectFromTake,
  setContacts,
} from '../src/edit/index.js';
import {
  channelAddresses,
  compileStack,
  evaluateStack,
  keyed,
  keysOn,
  newKey,
  newLayer,
  type Project,
  type Prop,
  playing,
  restPose,
} from '../src/index.js';
import { multiply } from '../src/math/index.js';
import { compileLimb, copyPose, globalMatrices, reach } from '../src/rig/index.js';
import { solveChannels, solvePose } from '../src/solve/index.js';
import { CONTACT_LIMITS } from '../src/take/index.js';
import { type Line, measure } from './measure.js';
import { random, rigOfSize, takeOfSize, takeStack } from './subject.js';

/** What a move of the pointer costs while a joint is posed on a layer, under `above` layers of a mode that play takes. */
function posing(name: string, above: number, mode: 'additive' | 'override'): Line {
  const rig = rigOfSize(65);
  const [base, ...takes] = Array.from({ length: above + 1 }, (_, k) => takeOfSize(rig, 100, k + 1));
  const stacked = takeStack(base, takes, mode, 0.5);
  const posed = newLayer('Posed', 'additive', {
    content: keyed({ [rig.joints[7].name]: { rx: { keys: [newKey(0, 10)] } } }),
  });
  const project: Project = { ...stacked, layers: stacked.layers.toSpliced(1, 0, posed) };
  const stack = compileStack(project);
  // Ten degrees on from where it is seen, as the next moves of a drag ask for.
  const pose = restPose(rig);
  evaluateStack(stack, 30.5, pose);
  const rotation = [0, 0, 0, 1];
  multiply(rotation, 0, [...pose.rotations.subarray(28, 32)], 0, [Math.sin(0.087), 0, 0, Math.cos(0.087)], 0);
  if (!solveChannels(stack, 30.5, 1, 7, { rotation })) throw new Error(`${name}: it cannot be posed`);
  return measure(name, 'ms a move', 1e3, 1, () => solveChannels(stack, 30.5, 1, 7, { rotation }));
}

/** What a move of the pointer costs while a limb is brought to a place, on the lowest of forty layers that play takes. */
function reaching(name: string): Line {
  const rig = rigOfSize(65);
  const [base, ...takes] = Array.from({ length: 40 }, (_, k) => takeOfSize(rig, 100, k + 1));
  const stacked = takeStack(base, takes, 'additive', 0.5);
  const posed = newLayer('Posed', 'additive');
  const stack = compileStack({ ...stacked, layers: stacked.layers.toSpliced(1, 0, posed) });
  const chain = [6, 7, 8];
  const limb = compileLimb(rig, {
    name: 'limb',
    chain: chain.map((j) => rig.joints[j].name),
    bend: [0, 0, 1],
  });
  const before = restPose(rig);
  evaluateStack(stack, 30.5, before);
  const matrices = globalMatrices(rig, before, new Float64Array(16 * rig.joints.length));
  const [top, end] = [6, 8].map((j) => matrices.subarray(16 * j + 12, 16 * j + 15));
  const goal = [0, 1, 2].map((axis) => end[axis] + 0.1 * (top[axis] - end[axis]));
  const pose = restPose(rig);
  const move = () => {
    copyPose(pose, before);
    reach(rig, limb, pose, goal);
    const turned = chain.map(
      (j) => [j, { rotation: [...pose.rotations.subarray(4 * j, 4 * j + 4)] }] as const,
    );
    return solvePose(stack, 30.5, 1, new Map(turned));
  };
  if (!move()) throw new Error(`${name}: it cannot be posed`);
  return measure(name, 'ms a move', 1e3, 1, move);
}

/** What twenty moves of a contact cost to be compiled, with eight layers that play the take. */
function contactMoves(): Line {
  const rig = rigOfSize(65);
  const take = takeOfSize(rig, 2000, 1);
  const plain = takeStack(take, [], 'additive', 0.5);
  const layers = Array.from({ length: 8 }, (_, k) =>
    newLayer(`Layer ${k}`, 'additive', { weight: 0.1, content: playing(take.id) }),
  );
  const project: Project = { ...plain, layers: [...plain.layers, ...layers] };
  const stack = compileStack(project);
  const moved = Array.from({ length: 20 }, (_, k) =>
    setContacts(project, take.id, {
      limits: CONTACT_LIMITS,
      joints: ['joint1'],
      spans: [{ joint: 'joint1', from: k, to: k + 20 }],
    }),
  );
  return measure('compile after 20 moves of a contact', 'ms', 1e3, 1, () => {
    for (const one of moved) compileStack(one, stack);
  });
}

/** What a move of the pointer costs while a column of 2,000 keys is dragged in 32 of 40 layers that hold 20,000. */
function keyDrag(name: string): Line {
  const rig = rigOfSize(65);
  const project = projectFromTake(takeOfSize(rig, 100, 1));
  const next = random(40);
  const curve = () => ({
    keys: Array.from({ length: 8 }, (_, k) => newKey(12 * k, 20 * (next() - 0.5))),
  });
  const layers = Array.from({ length: 40 }, (_, k) =>
    newLayer(`Layer ${k}`, 'additive', {
      content: keyed(
        Object.fromEntries(
          rig.joints.slice(0, 21).map((joint) => [joint.name, { rx: curve(), ry: curve(), rz: curve() }]),
        ),
      ),
    }),
  );
  const all: Project = { ...project, layers: [...project.layers, ...layers] };
  const picks = layers
    .slice(0, 32)
    .flatMap((layer) => keysOn(layer, channelAddresses(layer), (frame) => frame === 36));
  const before = curvesOf(all, picks);
  const count = picks.reduce((sum, { keys }) => sum + keys.length, 0);
  if (count < 2000) throw new Error(`${name}: only ${count} keys`);
  const pose = restPose(rig);
  let current = all;
  let stack = compileStack(all);
  let by = 0;
  return measure(name, 'ms a move', 1e3, 1, () => {
    by = (by % 7) + 1;
    current = movePicked(current, picks, { by, before });
    stack = compileStack(current, stack);
    evaluateStack(stack, 40, pose);
  });
}

/** What it costs to put a prop somewhere else beside a take of ten minutes of 60 joints, as against a weight of another layer. */
function propMove(): Line {
  const rig = rigOfSize(60);
  const plain = takeStack(takeOfSize(rig, 18_000, 1), [takeOfSize(rig, 18_000, 2)], 'additive', 0.5);
  const prop: Prop = { name: 'Cart', shape: 'box', size: [1, 1, 1], at: [0, 0, 0], turn: [0, 0, 0] };
  const project = addProp(plain, prop);
  const pose = restPose(project.rig);
  const stack = compileStack(project);
  evaluateStack(stack, 40, pose);
  let at = 0;
  const show = (next: Project) => evaluateStack(compileStack(next, stack), 40, pose);
  return measure(
    'move a prop, and a weight as reference; 60 joints, 18,000 samples',
    'ms a move',
    1e3,
    1,
    () => show(changeProp(project, 'Cart', { at: [++at % 7, 0, 0] })),
    () =>
      show({
        ...project,
        layers: project.layers.with(1, { ...project.layers[1], weight: (++at % 7) / 10 }),
      }),
  );
}

export const editLines = (): Line[] => [
  posing('pose a joint, nothing above', 0, 'additive'),
  posing('pose a joint under an additive take layer', 1, 'additive'),
  posing('pose a joint under an override take layer', 1, 'override'),
  posing('pose a joint under three override take layers', 3, 'override'),
  reaching('bring the end of a limb to a place under 39 take layers'),
  contactMoves(),
  propMove(),
  keyDrag('drag 2,000 of 20,000 keys in 40 layers'),
];
