import { z } from 'zod';
import { EASES } from '../../curve/curve.js';
import { CHANNELS } from '../../layer/content.js';
import { overlapIn } from '../../layer/held-contacts.js';
import { AXES, LOOPS } from '../../layer/layer.js';
import { FASTEST_RATE, SLOWEST_RATE } from '../../layer/project.js';
import { NARROWEST, WIDEST } from '../../layer/prop.js';
import { coincidentIn } from '../../layer/target.js';
import { SHORTEST_CYCLE } from '../../layer/time.js';
import { LIMITS } from '../limits.js';
import { listOf, recordOf } from '../schema.js';

/** The one definition of what a stack file holds. Angles are degrees, frames count at `fps`. */

export const number = z
  .number({ error: 'expected a finite number' })
  .min(-LIMITS.magnitude, { error: `expected a number of at most ${LIMITS.magnitude}` })
  .max(LIMITS.magnitude, { error: `expected a number of at most ${LIMITS.magnitude}` });
export const frame = number
  .min(-LIMITS.frame, { error: `expected a frame of at most ${LIMITS.frame}` })
  .max(LIMITS.frame, { error: `expected a frame of at most ${LIMITS.frame}` });
export const name = z
  .string()
  .max(LIMITS.name, { error: `expected a name of up to ${LIMITS.name} characters` });
const pair = z.tuple([number, number], { error: 'expected a pair of numbers' });
const ease = z.enum(EASES, { error: `expected an ease: ${EASES.join(', ')}` });

const KEY = 'expected [frame, value], [frame, value, ease] or [frame, value, {ease, in, out}]';
const handles = z.strictObject({ ease: ease.optional(), in: pair.optional(), out: pair.optional() });
const key = z.union(
  [z.tuple([frame, number]), z.tuple([frame, number, ease]), z.tuple([frame, number, handles])],
  { error: KEY },
);

const within = (value: unknown, most: number): boolean =>
  typeof value === 'number' && Math.abs(value) <= most;

/** Whether a key has neither handles nor anything wrong. */
const isPlainKey = (value: unknown): boolean =>
  Array.isArray(value) &&
  (value.length === 2 || (value.length === 3 && EASES.includes(value[2]))) &&
  within(value[0], LIMITS.frame) &&
  within(value[1], LIMITS.magnitude);

const curve = z.strictObject({ keys: listOf(key, isPlainKey) }).superRefine((value, context) => {
  for (let i = 1; i < value.keys.length; i++) {
    if (value.keys[i][0] > value.keys[i - 1][0]) continue;
    context.addIssue({
      code: 'custom',
      path: ['keys', i],
      message: `frame ${value.keys[i][0]} is not after ${value.keys[i - 1][0]}, expected rising frames`,
    });
    return;
  }
});
const keyedCurve = curve.refine((value) => value.keys.length > 0, {
  error: 'expected at least one key',
  path: ['keys'],
});
const scalar = z.union([number, keyedCurve], {
  error: (issue) =>
    typeof issue.input === 'object' && issue.input !== null
      ? undefined
      : 'expected a number or {"keys": [...]}',
});

/** The curves of a joint by channel. */
export const jointChannelsSchema = z.strictObject(
  Object.fromEntries(CHANNELS.map((channel) => [channel, curve.optional()])) as Record<
    (typeof CHANNELS)[number],
    z.ZodOptional<typeof curve>
  >,
);

const take = z.strictObject({
  file: name.min(1),
  clip: name.optional(),
  reference: z
    .union(
      [
        z.literal('first'),
        z.literal('rest'),
        z.int().nonnegative({ error: 'expected "first", "rest" or a sample number' }),
      ],
      {
        error: 'expected "first", "rest" or a sample number',
      },
    )
    .optional(),
});

const span = z
  .strictObject({
    start: frame.optional(),
    end: frame.optional(),
    fadeIn: number.nonnegative().optional(),
    fadeOut: number.nonnegative().optional(),
    shape: z.enum(['smooth', 'linear']).optional(),
  })
  .refine((value) => value.start === undefined || value.end === undefined || value.start <= value.end, {
    error: 'the span ends before it starts',
    path: ['end'],
  });

const time = z.strictObject({
  offset: frame.optional(),
  speed: number
    .min(-LIMITS.speed, { error: `expected a speed of at most ${LIMITS.speed}` })
    .max(LIMITS.speed, { error: `expected a speed of at most ${LIMITS.speed}` })
    .optional(),
  loop: z.enum(LOOPS, { error: 'expected "none", "repeat" or "travel"' }).optional(),
  cycle: z
    .tuple([frame, frame], { error: 'expected a pair of numbers' })
    .refine((value) => value[0] <= value[1], { error: 'the cycle ends before it starts' })
    .refine((value) => value[0] === value[1] || value[1] - value[0] >= SHORTEST_CYCLE, {
      error: `expected a cycle of ${SHORTEST_CYCLE} frames or more`,
    })
    .optional(),
});

const spaceOn = z.union([z.literal('world'), z.strictObject({ joint: name.min(1) })], {
  error: 'expected "world" or {"joint": NAME}',
});

const placement = z.strictObject({
  space: spaceOn.optional(),
  pivot: z.tuple([number, number, number]).optional(),
  tx: scalar.optional(),
  ty: scalar.optional(),
  tz: scalar.optional(),
  rx: scalar.optional(),
  ry: scalar.optional(),
  rz: scalar.optional(),
});

const place = z.strictObject({ tx: scalar.optional(), ty: scalar.optional(), tz: scalar.optional() });
const turn = z.strictObject({ rx: scalar.optional(), ry: scalar.optional(), rz: scalar.optional() });

const point = z.tuple([number, number, number], { error: 'expected three numbers' });

const pathPoints = listOf(point)
  .refine((points) => points.length >= 2, { error: 'expected two points at least' })
  .refine((points) => points.length <= LIMITS.points, { error: `expected up to ${LIMITS.points} points` });

const path = z
  .strictObject({
    points: pathPoints,
    closed: z.boolean().optional(),
    heading: z.boolean().optional(),
    along: scalar.optional(),
  })
  .superRefine(({ points, closed }, context) => {
    const at = coincidentIn(points, closed ?? false);
    if (at === undefined) return;
    context.addIssue({
      code: 'custom',
      path: ['points', at],
      message: 'coincides with the next point, expected points that lie apart',
    });
  });

const target = z
  .strictObject({
    joint: name.min(1),
    space: spaceOn.optional(),
    at: place.optional(),
    turn: turn.optional(),
    toward: place.optional(),
    path: path.optional(),
  })
  .refine((value) => !value.at || !value.path, {
    error: 'a target has a place or a path, not both',
    path: ['path'],
  });

const standingSpan = z
  .tuple([frame, frame], { error: 'expected a pair of numbers' })
  .refine((value) => value[0] <= value[1], { error: 'the span ends before it starts' })
  .refine((value) => value[1] - value[0] <= LIMITS.samples, {
    error: `expected a span of up to ${LIMITS.samples} frames`,
  });

const standingPoints = listOf(
  z.strictObject({ joint: name.min(1), end: z.int().nonnegative().optional(), floor: number }),
).refine((points) => points.length > 0, { error: 'expected at least one point' });

const standingSpans = listOf(standingSpan)
  .superRefine((spans, context) => {
    const at = overlapIn(spans);
    if (at === undefined) return;
    context.addIssue({
      code: 'custom',
      path: [at],
      message: `the span from ${spans[at][0]} is not after ${spans[at - 1][1]}, expected spans in order that do not overlap`,
    });
  })
  .refine((spans) => spans.length <= LIMITS.spans, { error: `expected up to ${LIMITS.spans} spans` });

const contactFields = {
  fade: number.nonnegative().optional(),
  hips: z.boolean().optional(),
  turn: scalar.optional(),
  like: name.min(1).optional(),
  space: spaceOn.optional(),
};

const contacts = z.strictObject({
  ...contactFields,
  limbs: recordOf(z.strictObject({ points: standingPoints, spans: standingSpans })),
});

/** Contacts of a kit: those of a limb can be found on each take, and its points be those of the take's limb. */
export const kitContacts = z.strictObject({
  ...contactFields,
  limbs: recordOf(
    z.strictObject({
      points: standingPoints.optional(),
      spans: z.union([z.literal('found'), standingSpans], {
        error: (issue) => (Array.isArray(issue.input) ? undefined : 'expected "found" or a list of spans'),
      }),
    }),
  ),
});

/** The fields that a layer has in a stack and in a kit. */
export const layerFields = {
  id: name.min(1).optional(),
  name,
  color: z
    .string()
    .regex(/^#[0-9a-fA-F]{6}$/, { error: 'expected a colour such as "#D55E00"' })
    .optional(),
  mode: z.enum(['additive', 'override'], { error: 'expected "additive" or "override"' }).optional(),
  axes: z.enum(AXES, { error: 'expected "joint", "world" or "character"' }).optional(),
  muted: z.boolean().optional(),
  solo: z.boolean().optional(),
  locked: z.boolean().optional(),
  group: name.min(1).optional(),
  weight: scalar.optional(),
  mask: recordOf(scalar).optional(),
  joints: recordOf(scalar).optional(),
  span: span.optional(),
  time: time.optional(),
  placement: placement.optional(),
  character: name.min(1).optional(),
  allows: recordOf(listOf(z.enum(CHANNELS))).optional(),
  take: take.optional(),
  channels: recordOf(jointChannelsSchema).optional(),
  targets: listOf(target)
    .refine((targets) => targets.length <= LIMITS.targets, {
      error: `expected up to ${LIMITS.targets} targets`,
    })
    .optional(),
};

interface LayerShape {
  readonly character?: string;
  readonly take?: unknown;
  readonly contacts?: unknown;
  readonly channels?: unknown;
  readonly targets?: readonly unknown[];
  readonly mode?: string;
  readonly axes?: string;
}

/** What no field of a layer says by itself. */
const RULES: readonly (readonly [field: string, wrong: (layer: LayerShape) => unknown, error: string])[] = [
  ['targets', ({ take, targets }) => take && targets?.length, 'a layer has a take or targets, not both'],
  [
    'contacts',
    ({ contacts: held, take, channels, targets }) => held && (take || channels || targets),
    'a layer with contacts has neither take nor channels nor targets',
  ],
  [
    'mode',
    ({ contacts: held, mode }) => held && mode === 'additive',
    'a layer with contacts is an override layer, expected "override"',
  ],
  [
    'character',
    ({ take, character }) => !take && character !== undefined,
    'is for a layer with a take, expected none',
  ],
  ['channels', ({ take, channels }) => take && channels, 'a layer has a take or channels, not both'],
  [
    'axes',
    ({ take, axes }) => take && axes && axes !== 'joint',
    'a layer with a take has the axes of its joints, expected "joint"',
  ],
];

/** Refuses a layer of which fields do not go together. */
export function checkLayer(layer: LayerShape, context: z.core.$RefinementCtx): void {
  const broken = RULES.find(([, wrong]) => wrong(layer));
  if (broken) context.issues.push({ code: 'custom', input: layer, path: [broken[0]], message: broken[2] });
}

const layer = z.strictObject({ ...layerFields, contacts: contacts.optional() }).superRefine(checkLayer);

const limb = z
  .strictObject({
    chain: listOf(name).refine((chain) => chain.length >= 3, {
      error: 'expected three joints at least, from the top to the end',
    }),
    bend: z
      .tuple([number, number, number], { error: 'expected three numbers' })
      .refine((bend) => Math.hypot(...bend) > 0, { error: 'expected a direction, not [0, 0, 0]' })
      .optional(),
    hangs: z.literal(true, { error: 'expected true, or nothing for a limb that bends' }).optional(),
  })
  .refine(({ bend, hangs }) => bend !== undefined || hangs, {
    path: ['bend'],
    error: 'expected where it bends, or that it hangs',
  });

const prop = z.strictObject({
  name: name.min(1),
  file: name.min(1).optional(),
  at: point.optional(),
  turn: point.optional(),
  camera: z
    .strictObject({
      fov: number
        .min(NARROWEST, { error: `expected at least ${NARROWEST} degree` })
        .max(WIDEST, { error: `expected at most ${WIDEST} degrees` }),
    })
    .optional(),
});

const character = z.strictObject({
  name: name.min(1).refine((value) => !value.includes('/'), { error: 'expected a name without a slash' }),
  rig: name.min(1),
  at: point.optional(),
  heading: number.optional(),
  scale: number.positive().optional(),
  parts: recordOf(listOf(z.string())).optional(),
  limbs: recordOf(limb.nullable()).optional(),
});

const group = z.strictObject({
  id: name.min(1),
  name,
  muted: z.boolean().optional(),
  solo: z.boolean().optional(),
  weight: scalar.optional(),
});

export const range = z
  .tuple([frame, frame], { error: 'expected a pair of numbers' })
  .refine((value) => value[0] <= value[1], { error: 'the range ends before it starts' })
  .refine((value) => value[1] - value[0] <= LIMITS.samples, {
    error: `expected a range of up to ${LIMITS.samples} frames`,
  });

const variant = z.strictObject({
  name: name.min(1),
  layers: recordOf(z.strictObject({ muted: z.boolean().optional(), weight: scalar.optional() })).optional(),
  range: range.optional(),
});

/** What stands beside the layers in a stack and in a kit. */
export const besideLayers = {
  parts: recordOf(listOf(z.string())).optional(),
  limbs: recordOf(limb.nullable()).optional(),
  props: listOf(prop)
    .refine((props) => props.length <= LIMITS.props, { error: `expected up to ${LIMITS.props} props` })
    .optional(),
  groups: listOf(group)
    .refine((groups) => groups.length <= LIMITS.layers, { error: `expected up to ${LIMITS.layers} groups` })
    .optional(),
  variants: listOf(variant)
    .refine((variants) => variants.length <= LIMITS.layers, {
      error: `expected up to ${LIMITS.layers} variants`,
    })
    .optional(),
};

export const stackSchema = z.strictObject({
  format: z.literal('evlay-stack', { error: 'expected "evlay-stack"' }),
  version: z.literal(1, { error: 'expected version 1' }),
  fps: number
    .min(SLOWEST_RATE, { error: `expected at least ${SLOWEST_RATE} frame a second` })
    .max(FASTEST_RATE, { error: `expected up to ${FASTEST_RATE} frames a second` }),
  first: z.int().min(-LIMITS.frame).max(LIMITS.frame).optional(),
  range,
  metresPerUnit: number.positive().optional(),
  rig: name.min(1).optional(),
  characters: listOf(character)
    .refine((characters) => characters.length <= LIMITS.characters, {
      error: `expected up to ${LIMITS.characters} characters`,
    })
    .optional(),
  ...besideLayers,
  layers: listOf(layer)
    .refine((layers) => layers.length > 0, { error: 'expected at least the base' })
    .refine((layers) => layers.length <= LIMITS.layers, { error: `expected up to ${LIMITS.layers} layers` }),
});

export type StackFile = z.infer<typeof stackSchema>;
export type StackFileCharacter = z.infer<typeof character>;
export type StackFileProp = z.infer<typeof prop>;
export type StackFileTarget = z.infer<typeof target>;
export type StackFileContacts = z.infer<typeof contacts>;
export type StackFileGroup = z.infer<typeof group>;
export type StackFileVariant = z.infer<typeof variant>;
export type StackFileLayer = StackFile['layers'][number];
export type StackFileKey = z.infer<typeof key>;
export type StackFileCurve = z.infer<typeof curve>;
export type StackFileScalar = z.infer<typeof scalar>;
