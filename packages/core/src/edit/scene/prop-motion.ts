import { keyed, takeOf } from '../../layer/content.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { newLayer } from '../../layer/layer.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { makeMotion } from '../../make/make.js';
import { followsOf, hipsOf, sizeRatio } from '../../match/fit.js';
import { DEGREES, quaternionToEuler, RADIANS, unwindEuler } from '../../math/euler.js';
import { multiply, multiplyByInverse } from '../../math/quaternion.js';
import { placePose } from '../../rig/placed.js';
import { restPose } from '../../rig/pose.js';
import { characterOf, jointIndex } from '../../rig/rig.js';
import { propsFrom } from '../../rig/topology.js';
import type { ChannelValues } from '../../solve/solve.js';
import type { Motion } from '../../take/reshape.js';
import { readSample } from '../../take/sample.js';
import type { Take } from '../../take/take.js';
import { addPoints, curvesThrough, type Points } from '../keys/curves-through.js';
import type { Added } from '../stack/layers.js';
import { sourceOf } from './takes.js';

/** At this tolerance a prop passes within a tenth of a degree and some hundredths of a millimetre of what is recorded. */
const LOOSE = 20;

/** A joint that a layer's take records beside those of the character: what a capture has of a prop. */
export interface ExtraJoint {
  /** The id of the layer that plays the take. */
  readonly layer: string;
  readonly joint: string;
}

/** The extra joints of the takes that override layers play, from the base up. */
export function extraJoints(project: Project): ExtraJoint[] {
  return project.layers.flatMap((layer) => {
    const take = project.takes.find(({ id }) => id === takeOf(layer)?.take);
    if (!take || layer.mode !== 'override') return [];
    const { rig } = sourceOf(project, take);
    const own = new Set(characterOf(project.rig).joints.map(({ name }) => name));
    const followed = new Set(Object.values(take.made?.mapping ?? {}));
    return rig.joints
      .filter(({ name }) => !followed.has(name) && !own.has(name))
      .map(({ name }) => ({ layer: layer.id, joint: name }));
  });
}

/** The motion that a take is made of, on its own skeleton, sample by sample as the take. */
function unfitted(project: Project, take: Take): Motion {
  if (!take.made) return take;
  const { mapping: _, feet: __, ...steps } = take.made;
  return makeMotion(sourceOf(project, take), steps, {
    rig: project.rig,
    metresPerUnit: project.metresPerUnit,
  }).motion;
}

/**
 * Lets a prop move as an extra joint of a layer's take does: keys on an override layer right above that one, in its time
 * and with its placement. Where the take is fitted to the character, the prop is from its hips as the joint is from the
 * hips of the capture, times the ratio of the lengths of their legs. It turns from where it was put as the joint turns from
 * rest. Undefined where there is no such prop, layer or joint.
 */
export function movePropAsJoint(
  project: Project,
  prop: string,
  { layer: id, joint }: ExtraJoint,
): Added | undefined {
  const layer = layerById(project, id);
  const take = project.takes.find((one) => one.id === (layer && takeOf(layer)?.take));
  const p = jointIndex(project.rig, prop);
  if (!layer || !take || p < propsFrom(project.rig)) return undefined;
  const motion = unfitted(project, take);
  const x = jointIndex(motion.rig, joint);
  if (x < 0) return undefined;
  const { mapping } = take.made ?? {};
  const follows = followsOf(
    motion.rig,
    take.rig,
    mapping ?? Object.fromEntries(take.rig.joints.map(({ name }) => [name, name])),
  );
  const ratio = mapping ? sizeRatio(motion.rig, take.rig, follows) : 1;
  const hips = hipsOf(take.rig, follows);
  const [theirs, own] = [motion, take].map((one) => ({ one, pose: restPose(one.rig) }));
  const atRest = placePose(motion.rig, restPose(motion.rig)).orientations.slice(4 * x, 4 * x + 4);
  const put = project.rig.joints[p].rotation as readonly number[];
  const turn = new Float64Array(4);
  const points: Points = new Map();
  let before: ChannelValues = {};
  const step = Math.max(1, Math.round(1 / (take.interval * project.fps)));
  for (let k = 0; k < take.count - 1 + step; k += step) {
    const s = Math.min(k, take.count - 1);
    readSample(theirs.one, s, theirs.pose);
    readSample(own.one, s, own.pose);
    const [there, here] = [placePose(motion.rig, theirs.pose), placePose(take.rig, own.pose)];
    const at = (matrices: Float64Array, j: number, axis: number) => matrices[16 * j + 12 + axis];
    const [tx, ty, tz] = [0, 1, 2].map(
      (axis) =>
        at(here.matrices, hips, axis) +
        ratio * (at(there.matrices, x, axis) - at(there.matrices, Math.max(0, follows[hips]), axis)),
    );
    multiplyByInverse(turn, 0, there.orientations, 4 * x, atRest, 0);
    multiply(turn, 0, turn, 0, put as number[], 0);
    const angles = [0, 0, 0];
    const order = project.rig.joints[p].order;
    quaternionToEuler(angles, 0, order, turn, 0);
    const near = [before.rx ?? 0, before.ry ?? 0, before.rz ?? 0].map((angle) => angle * RADIANS);
    unwindEuler(angles, 0, order, near, 0);
    const [rx, ry, rz] = angles.map((angle) => angle * DEGREES);
    before = { tx, ty, tz, rx, ry, rz };
    addPoints(points, p, s * take.interval * project.fps, before);
  }
  const index = layerIndex(project, id);
  const inGroup = layer.group !== undefined && layer.group === project.layers[index + 1]?.group;
  const moved = newLayer(freeName(project, `${prop} as ${joint}`, true), 'override', {
    color: freeColor(project),
    content: keyed(curvesThrough(project, points, new Set(), LOOSE)),
    ...(layer.time && { time: layer.time }),
    ...(layer.placement && { placement: layer.placement }),
    ...(inGroup && { group: layer.group }),
  });
  return { project: insertLayer(project, moved, index + 1), id: moved.id };
}
