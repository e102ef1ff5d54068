import { z } from 'zod';
import { newId } from '../id.js';
import { POSE_KINDS, type SavedPose } from '../layer/saved-pose.js';
import { emptyRecord } from '../record.js';
import { decodeText, inFile } from './error.js';
import { parseJson } from './json.js';
import { checkSize, LIMITS } from './limits.js';
import { listOf, readBy, recordOf } from './schema.js';

/** A pose book as a file: `NAME.json`, for other projects and other browsers. */

const name = z.string().min(1).max(LIMITS.name);
const part = z.number().min(-1.000001, { error: 'expected a unit quaternion' }).max(1.000001);

const posedJoint = z.strictObject({
  name,
  role: name.optional(),
  turn: z
    .tuple([part, part, part, part], { error: 'expected a quaternion [x, y, z, w]' })
    .refine((turn) => Math.abs(Math.hypot(...turn) - 1) < 1e-3, { error: 'expected a unit quaternion' }),
});

/** A saved pose. */
export const savedPoseSchema = z
  .strictObject({
    name,
    kind: z.enum(POSE_KINDS, { error: `expected a kind: ${POSE_KINDS.join(', ')}` }),
    tags: listOf(name).optional(),
    rise: z.number().min(-100).max(100).optional(),
    joints: listOf(posedJoint).refine((joints) => joints.length <= LIMITS.joints, {
      error: `expected up to ${LIMITS.joints} joints`,
    }),
    faces: recordOf(z.number().min(-LIMITS.magnitude).max(LIMITS.magnitude)).optional(),
  })
  .refine(({ joints, faces }) => joints.length > 0 || Object.keys(faces ?? {}).length > 0, {
    error: 'expected a joint or a face channel at least',
  });

type PoseOut = z.infer<typeof savedPoseSchema>;

/** Six decimals of a quaternion are finer than any pose is. */
const fine = (value: number): number => Math.round(value * 1e6) / 1e6;

export const savedPoseOut = ({ id: _, tags, joints, rise, faces, ...pose }: SavedPose): PoseOut => ({
  ...pose,
  ...(faces && {
    faces: Object.assign(
      emptyRecord<number>(),
      Object.fromEntries(Object.entries(faces).map(([name, value]) => [name, fine(value)])),
    ),
  }),
  ...(tags.length > 0 && { tags: [...tags] }),
  ...(rise !== undefined && { rise: fine(rise) }),
  joints: joints.map(({ turn, ...joint }) => ({
    ...joint,
    turn: turn.map(fine) as [number, number, number, number],
  })),
});

export function savedPoseIn({ tags = [], joints, ...pose }: PoseOut): SavedPose {
  return {
    id: newId(),
    ...pose,
    tags,
    joints: joints.map((joint) => {
      const length = Math.hypot(...joint.turn);
      const [x, y, z, w] = joint.turn.map((value) => value / length);
      return { ...joint, turn: [x, y, z, w] as const };
    }),
  };
}

const poseFileSchema = z.strictObject({
  format: z.literal('evlay-poses', { error: 'expected "evlay-poses"' }),
  version: z.literal(1, { error: 'expected version 1' }),
  poses: listOf(savedPoseSchema).refine((poses) => poses.length <= LIMITS.poses, {
    error: `expected up to ${LIMITS.poses} poses`,
  }),
});

export const posesText = (poses: readonly SavedPose[]): string =>
  `${JSON.stringify({ format: 'evlay-poses', version: 1, poses: poses.map(savedPoseOut) } satisfies z.infer<typeof poseFileSchema>, null, 2)}\n`;

/** Reads a pose book. Throws {@link FileError} that names the file and the place in it. */
export function readPoses(file: string, bytes: Uint8Array): SavedPose[] {
  checkSize(file, bytes.length);
  return inFile(file, () => {
    const json = parseJson(decodeText(bytes, 'poses in JSON'), 'poses');
    return readBy(poseFileSchema, json, 'the file').poses.map(savedPoseIn);
  });
}
