import { compileScalar } from '../curve/evaluate.js';
import { takeOf } from '../layer/content.js';
import { type Group, groupOf, liveLayers } from '../layer/group.js';
import type { Layer } from '../layer/layer.js';
import { maxWeight } from '../layer/mode.js';
import { baseOf, type Project } from '../layer/project.js';
import { ownTime } from '../layer/time.js';
import { facesOf } from '../rig/members.js';
import { placePose } from '../rig/placed.js';
import { restPose } from '../rig/pose.js';
import type { Frame, Joint, Rig } from '../rig/rig.js';
import { frameOf, topologyOf } from '../rig/topology.js';
import type { Take } from '../take/take.js';
import { newAxesTurns } from './axes.js';
import { type CompiledLayer, type CompiledStack, goesWhole, type MemberRange } from './compiled.js';
import { type ContactCache, newContactCache } from './contacts/contact-cache.js';
import type { ContactStep } from './contacts/contact-step.js';
import { layersSeen } from './contacts/layers-seen.js';
import { type Count, countsOf, FULL, NONE } from './counts.js';
import { readAlphas, readWeight } from './gate.js';
import { kernelFor, restRow, type TakeOn } from './kernel.js';
import { compilePlacement } from './placement.js';
import { compileContent } from './steps/compile-content.js';
import { contactStepOf, takeStepOf, targetStepOf } from './steps/step.js';

/**
 * Compiles the stack of a project. What `previous` has of it already is taken over: a layer that is the same
 * object and plays the same samples is not compiled again, so that an edit costs one layer and of that the curves that
 * changed, and one that only renames a take or changes its contacts costs none.
 */
export function compileStack(project: Project, previous?: CompiledStack): CompiledStack {
  const { rig, parts, limbs, fps, takes, layers, groups } = project;
  const same =
    previous &&
    topologyOf(previous.rig) === topologyOf(rig) &&
    previous.parts === parts &&
    previous.limbs === limbs &&
    previous.fps === fps;
  const known = new Map<string, CompiledLayer>();
  const moved = same ? restsMoved(previous.rig, rig) : [];
  if (same)
    for (const compiled of previous.layers)
      if (!hangsOnRest(compiled, moved)) known.set(compiled.layer.id, compiled);
  const compiled = layers.map((layer) => {
    const before = known.get(layer.id);
    const take = takes.find(({ id }) => id === takeOf(layer)?.take);
    const group = groupOf(groups, layer);
    if (before?.layer !== layer || !sameSamples(takeStepOf(before.steps)?.take, take))
      return compileLayer(layer, take, group, project, before);
    return before.groupWeight === (group?.weight ?? 1) ? before : weighedBy(before, group);
  });
  // What stood somewhere else at rest has another pose to begin with, and nothing else.
  const still = same && moved.length === 0 ? previous : undefined;
  const rest = still?.rest ?? restPose(rig);
  const live = liveLayers(layers, groups);
  const kernel = kernelFor(rig, takesBlended(compiled, live));
  return {
    rig,
    parts,
    limbs,
    fps,
    takes,
    rest,
    restRow: still?.restRow ?? restRow(rest),
    orders: topologyOf(rig).orders,
    parents: topologyOf(rig).parents,
    layers: compiled,
    live,
    contactCaches: cachesOf(compiled, live, rig, fps, still),
    kernel,
    tracks: compiled.map(({ steps }) => {
      const step = takeStepOf(steps);
      return step && kernel?.tracks.get(step.take.rotations)?.[step.character];
    }),
    placed: still?.placed ?? placePose(rig, restPose(rig)),
    orientations: same ? previous.orientations : new Float64Array(4 * rig.joints.length),
    axes: same ? previous.axes : newAxesTurns(rig),
    lengths: still?.lengths ?? Float64Array.from(rig.joints, (_, j) => frameOf(rig, j)?.scale ?? 1),
  };
}

/** Joints that rest somewhere else in one rig than in another of the same topology. */
function restsMoved(before: Rig, now: Rig): number[] {
  if (before === now) return [];
  return now.joints.flatMap((joint, j) =>
    sameRest(joint, before.joints[j]) && sameFrame(frameOf(before, j), frameOf(now, j)) ? [] : [j],
  );
}

const sameRest = (a: Joint, b: Joint): boolean =>
  a === b ||
  (sameNumbers(a.translation, b.translation) &&
    sameNumbers(a.rotation, b.rotation) &&
    sameNumbers(a.scale, b.scale) &&
    a.ends.length === b.ends.length &&
    a.ends.every((end, k) => sameNumbers(end, b.ends[k])));

const sameFrame = (a: Frame | undefined, b: Frame | undefined): boolean =>
  a === b ||
  (a !== undefined &&
    b !== undefined &&
    sameNumbers([...a.at, ...a.turn, a.scale], [...b.at, ...b.turn, b.scale]));

const sameNumbers = (a: readonly number[], b: readonly number[]): boolean =>
  a.every((value, k) => value === b[k]);

/** Whether what was compiled of a layer hangs on where some joints rest. */
const hangsOnRest = ({ slots, steps }: CompiledLayer, moved: readonly number[]): boolean =>
  moved.length > 0 &&
  (moved.some((j) => slots[j] >= 0) || steps.some(({ kind }) => kind === 'targets' || kind === 'contacts'));

/**
 * What layers that hold contacts know of the motion below them. It is taken over from before where nothing that they look
 * at has changed.
 */
function cachesOf(
  layers: readonly CompiledLayer[],
  live: readonly boolean[],
  rig: Rig,
  fps: number,
  previous: CompiledStack | undefined,
): (ContactCache | undefined)[] {
  let below = true;
  return layers.map((layer, index) => {
    const before = previous?.layers[index];
    const step = contactStepOf(layer.steps);
    const known =
      below && step && before?.layer.content === layer.layer.content
        ? previous!.contactCaches[index]
        : undefined;
    below &&= before === layer && previous!.live[index] === live[index];
    if (!step) return undefined;
    const seen = layersSeen(step, layers, index, topologyOf(rig).parents);
    const reaches = layers
      .slice(0, index)
      .some(({ steps }, k) => live[k] && (targetStepOf(steps) || contactStepOf(steps)));
    const room = previous?.contactCaches[index]?.room;
    return known ?? newContactCache(step, rig, fps, likeOf(step, layers, live, index), seen, !reaches, room);
  });
}

/** For each limb that contacts hold the layer below up to which its end is like, or -1. */
const likeOf = (
  { limbs, like }: ContactStep,
  layers: readonly CompiledLayer[],
  live: readonly boolean[],
  index: number,
): number[] =>
  limbs.map(({ limb: { chain } }) => {
    const end = chain[chain.length - 1];
    const fits = ({ layer, brings }: CompiledLayer, k: number) =>
      k < index && (like === undefined ? live[k] && brings(end) : layer.id === like);
    return layers.findIndex(fits);
  });

/** Whether two takes hold the same samples, whatever they are called and whenever their feet stand. */
const sameSamples = (a: Take | undefined, b: Take | undefined): boolean =>
  a === b ||
  (a !== undefined &&
    b !== undefined &&
    a.rig === b.rig &&
    a.interval === b.interval &&
    a.translations === b.translations &&
    a.rotations === b.rotations &&
    a.scales === b.scales &&
    a.faceCurves === b.faceCurves);

/**
 * The takes that the kernel has to hold: those above the base, and that of the base where it may go along. Where limbs reach
 * everything is blended in 64 bits: near their full length they make errors of their input larger by the square root.
 */
function takesBlended(layers: readonly CompiledLayer[], live: readonly boolean[]): TakeOn[] {
  if (layers.some(({ steps }, k) => live[k] && (targetStepOf(steps) || contactStepOf(steps)))) return [];
  const above = layers.slice(1);
  const used = goesWhole(baseOf({ layers })) && above.some(goesWhole) ? layers : above;
  return used.flatMap(({ steps }) => takeStepOf(steps) ?? []);
}

function compileLayer(
  layer: Layer,
  take: Take | undefined,
  group: Group | undefined,
  project: Project,
  before: CompiledLayer | undefined,
): CompiledLayer {
  const { rig, fps } = project;
  const { counts, scalars } = countsOf(layer, project);
  const time = ownTime(layer, take, fps);
  const content = compileContent(layer.content, { layer, take, time, project, before: before?.steps ?? [] });
  const placed = layer.placement !== undefined && layer.mode === 'override';
  const touched: number[] = [];
  const rotates: number[] = [];
  const ranges: MemberRange[] = [];
  const count = ({ mask, factor }: Count, to: number) => {
    const range = ranges[ranges.length - 1];
    if (range && range.mask === mask && range.factor === factor) ranges[ranges.length - 1] = { ...range, to };
    else ranges.push({ from: to - 1, to, mask, factor });
  };
  const shut = ({ mask, factor }: Count) => mask === NONE || factor === NONE;
  for (const [j, { parent }] of rig.joints.entries()) {
    const brings = content.brings(j);
    if ((!brings && !content.moves(j)) || shut(counts[j])) continue;
    count(counts[j], touched.push(j));
    // A placement turns a root whatever content it has.
    rotates.push(content.rotates(j) || (brings && placed && parent < 0) ? 1 : 0);
  }
  const joints = ranges.length;
  const faces: number[] = [];
  for (let f = 0; f < facesOf(rig).length; f++) {
    const own = counts[rig.joints.length + f];
    if (content.face(f) && !shut(own)) count(own, touched.length + faces.push(f));
  }
  const slots = new Int32Array(rig.joints.length).fill(-1);
  for (const [k, j] of touched.entries()) slots[j] = k;
  const compiled = {
    layer,
    additive: layer.mode === 'additive',
    time,
    steps: content.steps(touched, faces),
    placement:
      layer.mode === 'override' && layer.placement ? compilePlacement(layer.placement, rig) : undefined,
    touched: Int32Array.from(touched),
    faces: Int32Array.from(faces),
    evenFaces: ranges.filter(({ to }) => to > touched.length).length === 1,
    ranges,
    slots,
    counts,
    brings: content.brings,
    corrects: layer.content.kind === 'contacts',
    rotates: Uint8Array.from(rotates),
    whole: joints === 1 && rotates.length === rig.joints.length && !rotates.includes(0),
    scalars,
    scalarValues: new Float64Array(scalars.length),
    alphas: new Float64Array(touched.length + faces.length),
    weight: compileScalar(layer.weight),
    maxWeight: maxWeight(layer.mode),
    // Of all layers here, so that they have one hidden class (see `withMore`).
    groupWeight: 1,
    byGroup: undefined,
    steady: false,
  };
  return weighedBy(compiled, group);
}

/** A compiled layer that counts by the weight of a group. What does not change over time is worked out at once. */
function weighedBy(layer: CompiledLayer, group: Group | undefined): CompiledLayer {
  const { ranges, layer: own } = layer;
  const groupWeight = group?.weight ?? 1;
  const steady =
    typeof own.weight === 'number' &&
    typeof groupWeight === 'number' &&
    !own.span &&
    ranges.every(({ mask, factor }) => mask === FULL && factor === FULL);
  const compiled: CompiledLayer = {
    ...layer,
    alphas: new Float64Array(layer.touched.length + layer.faces.length),
    groupWeight,
    byGroup: groupWeight === 1 ? undefined : compileScalar(groupWeight),
    steady,
  };
  if (steady) {
    const anyFrame = new Float64Array(2);
    readWeight(compiled, anyFrame, 0, anyFrame, 1);
    readAlphas(compiled, anyFrame, 1, anyFrame, 0);
  }
  return compiled;
}
