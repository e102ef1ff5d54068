import { type Curve, newKey } from '../../curve/curve.js';
import { simplified } from '../../curve/tidy.js';
import { compileStack } from '../../evaluate/compile.js';
import { evaluateStack } from '../../evaluate/evaluate.js';
import { standingOf } from '../../layer/applied.js';
import { channelsOf, withChannels } from '../../layer/content.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { type Layer, newLayer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { faceIndex, facesOf } from '../../rig/members.js';
import { restPose } from '../../rig/pose.js';
import { changeLayer } from '../change.js';
import { appliedTo, apply, takeAway } from './applied.js';

/** How far a curve may be off what holds a channel. */
const TOLERANCE = 0.001;

/** The layer that holds face channels within their bounds. */
const holderIn = ({ layers }: Project): Layer | undefined =>
  layers.findLast((layer) => standingOf(layer).some(({ kind }) => kind === 'hold'));

/** Why face channels cannot be held, in words for people; undefined where they can. */
export function holdFaceRefusal({ layers, groups }: Project): string | undefined {
  if ([...layers, ...groups].some(({ solo }) => solo))
    return 'Something plays alone: let go of the solo first';
  return undefined;
}

/**
 * Holds face channels within 0 and 1, or their rest where that is beyond, over the range: an additive layer on top of all takes off
 * by how much each is seen beyond, and nothing elsewhere. Done once more, after something below has changed, it is found anew.
 */
export function holdFace(project: Project, names: readonly string[]): Project {
  if (holdFaceRefusal(project)) return project;
  const known = names.filter((name) => faceIndex(project.rig, name) >= 0);
  const holder = holderIn(project);
  const plain = known.reduce((now, name) => {
    const before = holder && appliedTo(holder, 'hold', [name]);
    return before ? takeAway(now, holder.id, before) : now;
  }, project);
  const curves = known.map((name) => [name, beyondCurve(plain, name)] as const);
  if (curves.every(([, curve]) => curve === undefined)) return plain;
  const layer =
    holder ?? newLayer(freeName(plain, 'Held face', true), 'additive', { color: freeColor(plain) });
  const with1 = holder ? plain : insertLayer(plain, layer, plain.layers.length);
  return curves.reduce(
    (now, [name, curve]) =>
      curve
        ? apply(now, layer.id, { kind: 'hold', joints: [name], numbers: {} }, (under) =>
            changeLayer(under, layer.id, (one) =>
              withChannels(one, { ...channelsOf(one), [name]: { m: curve } }),
            ),
          )
        : now,
    with1,
  );
}

/** What has to be added to a channel so that it is not seen beyond its bounds; undefined where it nowhere is. */
function beyondCurve(project: Project, name: string): Curve | undefined {
  const f = faceIndex(project.rig, name);
  const { rest } = facesOf(project.rig)[f];
  const [low, high] = [Math.min(0, rest), Math.max(1, rest)];
  const stack = compileStack(project);
  const pose = restPose(project.rig);
  const seenAt = (frame: number): number => {
    evaluateStack(stack, frame, pose);
    return pose.faces[f];
  };
  const [first, last] = project.range;
  const keys = [];
  let before: readonly [frame: number, beyond: number, seen: number] | undefined;
  for (let frame = first; ; frame = Math.min(last, Math.floor(frame) + 1)) {
    const seen = seenAt(frame);
    const beyond = seen > high ? high - seen : seen < low ? low - seen : 0;
    // Where it goes over a bound between two frames, it starts there, by the straight line.
    if (before && (beyond === 0) !== (before[1] === 0)) {
      const bound = beyond + before[1] < 0 ? high : low;
      const part = (bound - before[2]) / (seen - before[2]);
      const between = before[0] + part * (frame - before[0]);
      if (between > before[0] + 1e-4 && between < frame - 1e-4) keys.push(newKey(between, 0, 'linear'));
    }
    keys.push(newKey(frame, beyond, 'linear'));
    before = [frame, beyond, seen];
    if (frame >= last) break;
  }
  if (keys.every(({ value }) => value === 0)) return undefined;
  return simplified({ keys }, () => true, TOLERANCE);
}
