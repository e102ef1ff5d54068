import { scalarAt } from '../src/curve/index.js';
import {
  channelsOf,
  compileStack,
  evaluateStack,
  keyed,
  type Mode,
  newKey,
  type Project,
  restPose,
  type Take,
} from '../src/index.js';
import { angleBetween } from '../src/math/index.js';
import { type Line, measure, measureTogether } from './measure.js';
import { FRAMES, mixerOf, mixerWeights } from './mixer.js';
import { keyedStack, random, rigOfSize, takeOfSize, takeStack, weightCurve } from './subject.js';

/** Evaluates a stack at every frame of the list. */
function evaluator(project: Project, frames: readonly number[] = FRAMES): () => void {
  const stack = compileStack(project);
  const pose = restPose(project.rig);
  return () => {
    for (const frame of frames) evaluateStack(stack, frame, pose);
  };
}

/** Take layers on 65 joints beside three's mixer, after a check that both show the same pose. */
function besideMixer(name: string, mode: Mode): Line {
  const rig = rigOfSize(65);
  const base = takeOfSize(rig, 100, 1);
  const takes = Array.from({ length: 32 }, (_, i) => takeOfSize(rig, 100, i + 2));
  const plain = takeStack(base, takes, mode, 0.5);
  const project: Project =
    mode === 'additive'
      ? plain
      : {
          ...plain,
          layers: plain.layers.map((layer, i) => (i === 0 ? layer : { ...layer, weight: weightCurve(i) })),
        };
  const mixer = mixerOf(base, takes, mode === 'additive');
  const weights = FRAMES.map((frame) => {
    const alphas = project.layers.slice(1).map((layer) => scalarAt(layer.weight, frame));
    return mode === 'additive' ? alphas : mixerWeights(alphas);
  });
  const reference = () => {
    for (const [k, frame] of FRAMES.entries()) mixer.show(frame, weights[k]);
  };
  checkSame(name, project, base, (k) => {
    mixer.show(FRAMES[k], weights[k]);
    return mixer.bones.map((bone) => bone.quaternion.toArray());
  });
  return measure(name, 'ms a frame', 1e3, FRAMES.length, evaluator(project), reference);
}

function checkSame(name: string, project: Project, base: Take, shown: (k: number) => number[][]): void {
  const stack = compileStack(project);
  const pose = restPose(project.rig);
  for (const [k, frame] of FRAMES.entries()) {
    evaluateStack(stack, frame, pose);
    for (const [j, quaternion] of shown(k).entries()) {
      const apart = angleBetween(pose.rotations, 4 * j, quaternion, 0);
      if (apart > 2e-4)
        throw new Error(
          `${name}: ${base.rig.joints[j].name} is ${apart} radians from the mixer's at ${frame}`,
        );
    }
  }
}

const SIZES = [8, 32, 128].flatMap((layers) => [30, 65, 300].map((joints) => ({ layers, joints })));

/** A stack of takes by turns additive and override, the base among them. */
function takesOnly(joints: number, layers: number): Project {
  const rig = rigOfSize(joints);
  const takes = Array.from({ length: layers }, (_, i) => takeOfSize(rig, 12, i + 1));
  const stack = takeStack(takes[0], takes.slice(1), 'additive', 0.5);
  return {
    ...stack,
    fps: 120,
    layers: stack.layers.map((layer, i) => ({
      ...layer,
      mode: i % 2 === 0 ? ('override' as const) : ('additive' as const),
    })),
  };
}

/** A stack as animators build it: three keyed layers to every take. */
function keyedAndTakes(joints: number, layers: number): Project {
  const takes = takesOnly(joints, layers);
  const curves = keyedStack(takes.rig, takes.takes[0], layers).layers;
  return {
    ...takes,
    layers: takes.layers.map((layer, i) => (i % 4 === 0 ? layer : curves[i])),
  };
}

/** What a joint of a layer costs, for stacks of several sizes, and how far the sizes are apart. */
function costs(name: string, stackOf: (joints: number, layers: number) => Project): Line[] {
  const frames = Array.from({ length: 40 }, (_, k) => k + 0.5);
  const lines = measureTogether(
    SIZES.map(({ layers, joints }) => ({
      name: `${name}: ${joints} joints, ${layers} layers`,
      unit: 'ns',
      factor: 1e9,
      per: frames.length * joints * layers,
      work: evaluator(stackOf(joints, layers), frames),
    })),
  );
  const values = lines.map((line) => line.value);
  const value = Math.max(...values) / Math.min(...values);
  return [
    ...lines,
    { name: `${name}: largest to smallest`, unit: 'times', value, reference: null, ratio: null },
  ];
}

/** A stack with so many face channels, which every layer drives: keyed ones by curves, takes by keys at their samples. */
function withFaces(project: Project, channels: number): Project {
  const faces = Array.from({ length: channels }, (_, f) => ({ name: `face${f}`, rest: 0 }));
  const next = random(channels);
  const numbers = (count: number) => Array.from({ length: count }, () => next());
  const curve = () => ({ keys: [0, 20, 40, 60, 90].map((frame) => newKey(frame, next())) });
  const rig = { ...project.rig, faces };
  return {
    ...project,
    rig,
    takes: project.takes.map((take) => {
      const times = Float64Array.from({ length: take.count }, (_, s) => s * take.interval);
      const curveOf = ({ name }: { name: string }) => ({
        channel: name,
        interpolation: 'LINEAR' as const,
        times,
        values: Float64Array.from(numbers(take.count)),
      });
      return { ...take, rig, faceCurves: faces.map(curveOf) };
    }),
    layers: project.layers.map((layer) =>
      layer.content.kind !== 'take'
        ? {
            ...layer,
            content: keyed({
              ...channelsOf(layer),
              ...Object.fromEntries(faces.map(({ name }) => [name, { m: curve() }])),
            }),
          }
        : layer,
    ),
  };
}

/** What 60 face channels cost beside 65 joints in 16 layers of a stack. */
function facesLine(stackOf: typeof takesOnly, what: string): Line {
  const plain = stackOf(65, 16);
  const work = evaluator(withFaces(plain, 60));
  const { ratio } = measure('', '', 1, 1, work, evaluator(plain));
  return {
    name: `evaluate: 65 joints, 16 layers${what}, with 60 face channels / without`,
    unit: 'times',
    value: 1 / ratio!,
    reference: null,
    ratio: null,
  };
}

export function evaluateLines(): Line[] {
  const rig = rigOfSize(65);
  const stack = keyedStack(rig, takeOfSize(rig, 100, 1), 8);
  return [
    besideMixer('evaluate: 65 joints, 32 additive take layers', 'additive'),
    besideMixer('evaluate: 65 joints, 32 override take layers, keyed weights', 'override'),
    measure('evaluate: 65 joints, 8 keyed layers', 'ms a frame', 1e3, FRAMES.length, evaluator(stack)),
    facesLine(keyedAndTakes, ''),
    facesLine(takesOnly, ', takes only'),
    ...costs('cost per joint and layer', keyedAndTakes),
    ...costs('cost per joint and layer, takes only', takesOnly),
  ];
}
