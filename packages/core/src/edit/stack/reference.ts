import { differenceOver } from '../../check/difference.js';
import { type Curve, newKey } from '../../curve/curve.js';
import { compileStack } from '../../evaluate/compile.js';
import { applyLayers } from '../../evaluate/evaluate.js';
import { type Channels, type JointChannels, keyed, type Reference, takeOf } from '../../layer/content.js';
import { freeColor, freeName } from '../../layer/insert.js';
import { inFull, newLayer } from '../../layer/layer.js';
import { layerById, layerIndex, type Project } from '../../layer/project.js';
import { DEGREES, quaternionToEuler } from '../../math/euler.js';
import { multiply, multiplyByInverse, multiplyInverse } from '../../math/quaternion.js';
import { emptyRecord } from '../../record.js';
import { facesOf } from '../../rig/members.js';
import { restPose } from '../../rig/pose.js';
import { setReference } from '../time/time.js';
import { type Converted, countKeys } from './convert.js';

/**
 * Sets what an additive take is a change from and keeps the motion: what the two references differ by is held by a keyed
 * layer right below it, which counts as it does. It is exact where the layer counts in full or not at all; the difference is
 * measured over the range. Undefined for a layer that plays no take.
 */
export function keepAtReference(project: Project, id: string, reference: Reference): Converted | undefined {
  const layer = layerById(project, id);
  const index = layerIndex(project, id);
  if (!layer || !takeOf(layer) || layer.mode !== 'additive') return undefined;
  const after = setReference(project, id, reference);
  const { name, weight, mask, joints, span, group } = layer;
  const held = newLayer(freeName(project, `${name} from`), 'additive', {
    color: freeColor(project),
    weight,
    ...(mask && { mask }),
    ...(joints && { joints }),
    ...(span && { span }),
    ...(group !== undefined && { group }),
    muted: layer.muted,
    content: keyed(changeBetween(project, after, id)),
  });
  const kept = { ...after, layers: after.layers.toSpliced(index, 0, held) };
  return { project: kept, ...differenceOver(project, kept), keys: [0, countKeys(held)] };
}

/** The change, one key a channel, that leads from what an additive layer adds in one project to what it adds in another. */
function changeBetween(from: Project, to: Project, id: string): Channels {
  const { rig } = from;
  const [one, other] = [from, to].map((project) => {
    const alone = inFull(layerById(project, id)!);
    const pose = restPose(rig);
    // Over the rest pose, at a frame that is the same for both.
    const rest = newLayer('rest', 'override');
    const stack = compileStack({ ...project, groups: [], layers: [rest, alone] });
    applyLayers(stack, project.range[0], 1, 2, pose);
    const { touched, faces } = stack.layers[1];
    return { pose, touched, faces };
  });
  const rest = restPose(rig);
  const key = (value: number): Curve => ({ keys: [newKey(from.range[0], value)] });
  const channels = emptyRecord<JointChannels>();
  for (const f of one.faces)
    channels[facesOf(rig)[f].name] = { m: key(one.pose.faces[f] - other.pose.faces[f]) };
  const turn = new Float64Array(4);
  for (const j of one.touched) {
    const q = 4 * j;
    // (rest⁻¹ · one) · (rest⁻¹ · other)⁻¹ is rest⁻¹ · one · other⁻¹ · rest.
    multiplyByInverse(turn, 0, one.pose.rotations, q, other.pose.rotations, q);
    multiply(turn, 0, turn, 0, rest.rotations, q);
    multiplyInverse(turn, 0, rest.rotations, q, turn, 0);
    const angles = [0, 0, 0];
    quaternionToEuler(angles, 0, rig.joints[j].order, turn, 0);
    const [rx, ry, rz] = angles.map((angle) => key(angle * DEGREES));
    const moved = [0, 1, 2].map((k) => one.pose.translations[3 * j + k] - other.pose.translations[3 * j + k]);
    const scaled = [0, 1, 2].map((k) => one.pose.scales[3 * j + k] / other.pose.scales[3 * j + k]);
    const [tx, ty, tz] = moved.map(key);
    const [sx, sy, sz] = scaled.map(key);
    channels[rig.joints[j].name] = {
      rx,
      ry,
      rz,
      ...(moved.some((value) => value !== 0) && { tx, ty, tz }),
      ...(scaled.some((value) => Math.abs(value - 1) > 1e-12) && { sx, sy, sz }),
    };
  }
  return channels;
}
