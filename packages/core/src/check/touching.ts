import { compileStack } from '../evaluate/compile.js';
import { evaluateStack } from '../evaluate/evaluate.js';
import type { Steps } from '../job/steps.js';
import type { StandingSpan } from '../layer/held-contacts.js';
import type { Project } from '../layer/project.js';
import { multiplyInverse, rotate } from '../math/quaternion.js';
import { compiledLimbs } from '../rig/compiled-limbs.js';
import { type Placed, placePose } from '../rig/placed.js';
import { restPose } from '../rig/pose.js';
import { jointChildren, ownName, type Vector3 } from '../rig/rig.js';
import { ownerOf, propsFrom } from '../rig/topology.js';
import { CONTACT_LIMITS } from '../take/contacts.js';
import { type Body, bodiesOf, segmentDistance } from './bodies.js';

/** Frames over which a point of a limb's end stays on a body of another character, or on a prop. */
export interface Touch {
  /** The limb, by name, and the point of its end that is nearest: a joint, by name. */
  readonly limb: string;
  readonly point: string;
  /** The joint or prop on which it stays, by name. */
  readonly space: string;
  readonly span: StandingSpan;
}

/** Something that can be touched: the bone of a body with its radius, or a box about a prop; lengths in units of the scene. */
type Thing = { readonly joint: number } & ({ readonly body: Body } | { readonly half: Vector3 });

/** A touch lasts so many seconds at least; pauses as long as this part of a second are bridged. */
const SHORTEST = 0.2;
const BRIDGED = 0.07;
/** From one frame to the next a hand that has come to stay may start or stop: it is as fast as this, and not faster, metres a second. */
const { height: NEAR, speed: FAST } = CONTACT_LIMITS;

/**
 * Finds where ends of limbs stay on bodies of other characters and on props in the range of a project, as it is seen: at
 * whole frames, nearer than {@link CONTACT_LIMITS} says and slower than it says, both against what is touched. Of several
 * things at once it is the one against which the point moves least.
 */
export function* touchesIn(project: Project): Steps<Touch[]> {
  const { rig, range, fps, metresPerUnit, scene } = project;
  const limbs = compiledLimbs(rig, project.limbs);
  const ends = limbs.flatMap((limb) => {
    if (limb.hanging || /^(trunk|tail)$/.test(ownName(limb.name))) return [];
    const end = limb.chain[limb.chain.length - 1];
    return [{ limb: limb.name, owner: ownerOf(rig, end), points: below(jointChildren(rig), end) }];
  });
  const first = propsFrom(rig);
  const things: Thing[] = [
    ...bodiesOf(rig, limbs, project.parts).map((body) => ({ joint: body.from, body })),
    ...scene.props.flatMap(({ camera, hidden, size }, k) =>
      camera || hidden
        ? []
        : [{ joint: first + k, half: size.map((value) => value / 2) as unknown as Vector3 }],
    ),
  ];
  const pairs = ends.flatMap((end) =>
    things
      .filter(({ joint }) => ownerOf(rig, joint) !== end.owner)
      .map((thing) => ({ end, thing, frames: [] as number[], counts: new Map<number, number>(), way: 0 })),
  );
  if (pairs.length === 0) return [];
  const stack = compileStack(project);
  const pose = restPose(rig);
  const before = new Map<string, Float64Array>();
  const near = NEAR / metresPerUnit;
  const step = FAST / metresPerUnit / fps;
  for (let frame = Math.ceil(range[0]); frame <= range[1]; frame++) {
    evaluateStack(stack, frame, pose);
    const placed = placePose(rig, pose);
    yield (frame - range[0]) / (range[1] - range[0] + 1);
    for (const [p, pair] of pairs.entries()) {
      const [point, gap] = nearest(placed, pair.end.points, pair.thing);
      if (gap > near) continue;
      const own = within(placed, pair.thing.joint, point);
      const key = `${p} ${point}`;
      const last = before.get(key);
      before.set(key, Float64Array.of(...own, frame));
      if (last?.[3] !== frame - 1) continue;
      const moved = Math.hypot(own[0] - last[0], own[1] - last[1], own[2] - last[2]);
      if (moved > step) continue;
      pair.frames.push(frame);
      pair.way += moved;
      pair.counts.set(point, (pair.counts.get(point) ?? 0) + 1);
    }
  }
  const found = pairs.flatMap(({ end, thing, frames, counts, way }) =>
    spansOf(frames, fps).map((span) => ({
      touch: {
        limb: end.limb,
        point: rig.joints[mostOf(counts)].name,
        space: rig.joints[thing.joint].name,
        span,
      },
      of: 'body' in thing ? thing.body.of : undefined,
      pace: way / frames.length,
    })),
  );
  const kept: typeof found = [];
  for (const one of found.sort((a, b) => a.pace - b.pace)) {
    const { limb, span } = one.touch;
    // Of two things at once the one that goes along better has it; of two hands that hold each other the one stays on the other.
    const taken = kept.some(
      ({ touch, of }) =>
        touch.span[0] <= span[1] &&
        span[0] <= touch.span[1] &&
        (touch.limb === limb || (touch.limb === one.of && of === limb)),
    );
    if (!taken) kept.push(one);
  }
  return kept.map(({ touch }) => touch).sort((a, b) => a.span[0] - b.span[0]);
}

/** A joint and all that hangs on it. */
function below(children: readonly (readonly number[])[], joint: number): number[] {
  return [joint, ...children[joint].flatMap((child) => below(children, child))];
}

/** Of some points the one that is nearest to a thing, and how far its surface is from it: 0 where it is within. */
function nearest(placed: Placed, points: readonly number[], thing: Thing): [point: number, gap: number] {
  let [point, gap] = [points[0], Number.POSITIVE_INFINITY];
  for (const one of points) {
    const apart =
      'body' in thing ? fromBody(placed, one, thing.body) : fromBox(placed, one, thing.joint, thing.half);
    if (apart < gap) [point, gap] = [one, apart];
  }
  return [point, gap];
}

function fromBody({ matrices: m }: Placed, point: number, { from, to, radius }: Body): number {
  const at = (j: number) => 16 * j + 12;
  return Math.max(0, segmentDistance(m, at(point), m, at(point), m, at(from), m, at(to)) - radius);
}

function fromBox(placed: Placed, point: number, joint: number, half: Vector3): number {
  const own = within(placed, joint, point);
  return Math.hypot(...half.map((most, axis) => Math.max(0, Math.abs(own[axis]) - most)));
}

const back = [0, 0, 0, 1];

/** The place of a joint in the axes of another. */
function within({ matrices, orientations }: Placed, space: number, point: number): number[] {
  const way = [12, 13, 14].map((o) => matrices[16 * point + o] - matrices[16 * space + o]);
  back.fill(0, 0, 3);
  back[3] = 1;
  multiplyInverse(back, 0, orientations, 4 * space, back, 0);
  rotate(way, 0, back, 0, way, 0);
  return way;
}

/** Frames at which something holds, one after the other, as spans that are long enough. */
function spansOf(frames: readonly number[], fps: number): StandingSpan[] {
  const spans: [number, number][] = [];
  for (const frame of frames) {
    const last = spans[spans.length - 1];
    // A frame tells of the step that leads to it.
    if (last && frame - 1 - last[1] <= BRIDGED * fps) last[1] = frame;
    else spans.push([frame - 1, frame]);
  }
  return spans.filter(([from, to]) => to - from >= SHORTEST * fps);
}

const mostOf = (counts: ReadonlyMap<number, number>): number =>
  [...counts].reduce((most, one) => (one[1] > most[1] ? one : most))[0];
