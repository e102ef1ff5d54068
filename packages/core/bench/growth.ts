import { bakeBlock, planBake } from '../src/bake/index.js';
import { addCharacter, projectFromTake } from '../src/edit/index.js';
import {
  compileStack,
  evaluateStack,
  keyed,
  newKey,
  newLayer,
  type Project,
  restPose,
} from '../src/index.js';
import { type Case, type Line, measureTogether } from './measure.js';
import { keyedStack, rigOfSize, takeOfSize, takeStack } from './subject.js';

/** What grows, and the work for each of its sizes. */
interface Growth {
  readonly of: string;
  readonly unit: 'µs' | 'ms';
  readonly sizes: readonly number[];
  readonly work: (size: number) => () => void;
}

/** Shows a project at some frames. */
function playing(project: Project): () => void {
  const stack = compileStack(project);
  const pose = restPose(project.rig);
  return () => {
    for (let frame = 10; frame < 20; frame++) evaluateStack(stack, frame + 0.5, pose);
  };
}

/** Keyed layers and takes by turns. */
function mixed(joints: number, layers: number): Project {
  const rig = rigOfSize(joints);
  const takes = Array.from({ length: layers }, (_, k) => takeOfSize(rig, 30, k + 1));
  const stack = takeStack(takes[0], takes.slice(1), 'additive', 0.5);
  const curves = keyedStack(rig, takes[0], layers).layers;
  return { ...stack, layers: stack.layers.map((layer, k) => (k % 4 === 0 ? layer : curves[k])) };
}

/** A layer with so many keys on 60 joints, of which one is moved. */
function editing(keys: number): () => void {
  const rig = rigOfSize(60);
  const plain = projectFromTake(takeOfSize(rig, 30, 1));
  const each = Math.round(keys / 180);
  const curve = () => ({ keys: Array.from({ length: each }, (_, k) => newKey(k, Math.sin(k))) });
  const channels = Object.fromEntries(
    rig.joints.map(({ name }) => [name, { rx: curve(), ry: curve(), rz: curve() }]),
  );
  const pose = restPose(rig);
  let stack = compileStack(plain);
  let value = 0;
  return () => {
    value += 0.01;
    const first = rig.joints[0].name;
    const moved = { keys: [newKey(0, value), ...channels[first].rx.keys.slice(1)] };
    const content = keyed({ ...channels, [first]: { ...channels[first], rx: moved } });
    stack = compileStack(
      { ...plain, layers: [...plain.layers, newLayer('Keys', 'additive', { id: 'keys', content })] },
      stack,
    );
    evaluateStack(stack, 3.5, pose);
  };
}

/** So many characters, each with a take under eight keyed layers. */
function sceneOf(characters: number): Project {
  const rig = rigOfSize(30);
  const first = keyedStack(rig, takeOfSize(rig, 30, 1), 8);
  let scene = first;
  for (let k = 1; k < characters; k++) {
    const name = `Other ${k}`;
    const other = { name, rig, takes: [takeOfSize(rig, 30, k + 1)], metresPerUnit: 1 };
    const added = addCharacter(scene, other).project;
    const layers = first.layers.slice(1).map((layer) => {
      if (layer.content.kind !== 'curves') return layer;
      const channels = Object.entries(layer.content.channels).map(([joint, of]) => [`${name}/${joint}`, of]);
      return newLayer(`${name} ${layer.name}`, layer.mode, {
        weight: layer.weight,
        content: keyed(Object.fromEntries(channels)),
      });
    });
    scene = { ...added, layers: [...added.layers, ...layers] };
  }
  return scene;
}

const GROWTHS: readonly Growth[] = [
  {
    of: 'joints (16 layers, ten frames)',
    unit: 'µs',
    sizes: [30, 60, 120, 240],
    work: (joints) => playing(mixed(joints, 16)),
  },
  {
    of: 'layers (60 joints, ten frames)',
    unit: 'µs',
    sizes: [8, 16, 32, 64, 128],
    work: (layers) => playing(mixed(60, layers)),
  },
  {
    of: 'frames that are baked (60 joints, 16 layers)',
    unit: 'ms',
    sizes: [250, 500, 1000, 2000],
    work: (frames) => {
      const project = { ...mixed(60, 16), range: [0, frames - 1] as const };
      const plan = planBake(project, {});
      const stack = compileStack(project);
      return () => bakeBlock(stack, plan, 0, plan.count);
    },
  },
  {
    of: 'takes in a project, of which one plays: to its first frame',
    unit: 'µs',
    sizes: [1, 4, 16, 64],
    work: (count) => {
      const rig = rigOfSize(60);
      const takes = Array.from({ length: count }, (_, k) => takeOfSize(rig, 300, k + 1));
      const project = { ...projectFromTake(takes[0]), takes };
      const pose = restPose(rig);
      return () => evaluateStack(compileStack({ ...project }), 3.5, pose);
    },
  },
  {
    of: 'keys of a layer, of which one is moved',
    unit: 'µs',
    sizes: [2000, 8000, 32000, 128000],
    work: editing,
  },
  {
    of: 'characters (30 joints, eight layers each, ten frames)',
    unit: 'µs',
    sizes: [1, 2, 4, 8],
    work: (characters) => playing(sceneOf(characters)),
  },
];

/**
 * What costs grow by: for each thing that there can be more of what some sizes cost, and the exponent `e` of `cost = c · size^e` that
 * fits them best (least squares of logarithms): 1 where twice as much costs twice as much.
 */
export function growthLines(): Line[] {
  return GROWTHS.flatMap(({ of, unit, sizes, work }) => {
    const lines = measureTogether(
      sizes.map(
        (size): Case => ({
          name: `${size} ${of}`,
          unit,
          factor: unit === 'ms' ? 1e3 : 1e6,
          per: 1,
          work: work(size),
        }),
      ),
    );
    const exponent = slopeOf(
      sizes.map(Math.log),
      lines.map(({ value }) => Math.log(value)),
    );
    return [
      ...lines,
      { name: `exponent over ${of}`, unit: '', value: exponent, reference: null, ratio: null },
    ];
  });
}

/** The slope of the line through points that is best by least squares. */
function slopeOf(x: readonly number[], y: readonly number[]): number {
  const mean = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length;
  const [mx, my] = [mean(x), mean(y)];
  let [top, bottom] = [0, 0];
  for (const [k, value] of x.entries()) {
    top += (value - mx) * (y[k] - my);
    bottom += (value - mx) ** 2;
  }
  return top / bottom;
}
