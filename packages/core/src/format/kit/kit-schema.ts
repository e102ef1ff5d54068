import { z } from 'zod';
import { PLAIN_FITS } from '../../kit/kit.js';
import { FASTEST_RATE, SLOWEST_RATE } from '../../layer/project.js';
import { EULER_ORDERS } from '../../math/euler.js';
import { LIMITS } from '../limits.js';
import { listOf, recordOf } from '../schema.js';
import {
  besideLayers,
  checkLayer,
  frame,
  kitContacts,
  layerFields,
  name,
  number,
  range,
} from '../stack/stack-schema.js';

/** The one definition of what a kit file holds. Layers are written as in a stack. */

const three = z.tuple([number, number, number], { error: 'expected three numbers' });

const each = z
  .strictObject({ each: name.min(1), at: frame, from: frame, to: frame })
  .refine(({ from, to }) => from <= to, { error: 'the window ends before it starts', path: ['to'] });
const fit = z.union([z.enum(PLAIN_FITS), each], {
  error: (issue) =>
    typeof issue.input === 'object' && issue.input !== null
      ? undefined
      : 'expected "events", "stretch", "shift" or {"each": NAME, "at", "from", "to"}',
});

const layer = z
  .strictObject({ ...layerFields, contacts: kitContacts.optional(), fit: fit.optional() })
  .superRefine(checkLayer);

/** A joint of the character that a kit was made on, as it rests. */
const restingJoint = z.strictObject({
  name: name.min(1),
  parent: name.optional(),
  at: three,
  turn: z.tuple([number, number, number, number], { error: 'expected a quaternion [x, y, z, w]' }).optional(),
  scale: three.optional(),
  order: z.enum(EULER_ORDERS, { error: `expected an order: ${EULER_ORDERS.join(', ')}` }).optional(),
  ends: listOf(three).optional(),
  bone: name.optional(),
});

export const kitSchema = z
  .strictObject({
    format: z.literal('evlay-kit', { error: 'expected "evlay-kit"' }),
    version: z.literal(1, { error: 'expected version 1' }),
    name: name.min(1),
    fps: number
      .min(SLOWEST_RATE, { error: `expected at least ${SLOWEST_RATE} frame a second` })
      .max(FASTEST_RATE, { error: `expected up to ${FASTEST_RATE} frames a second` }),
    range,
    metresPerUnit: number.positive().optional(),
    joints: recordOf(name).optional(),
    ...besideLayers,
    events: listOf(z.tuple([name.min(1), frame], { error: 'expected [NAME, frame]' }))
      .refine((events) => events.length <= LIMITS.spans, { error: `expected up to ${LIMITS.spans} events` })
      .optional(),
    place: z.enum(['world', 'root'], { error: 'expected "world" or "root"' }).optional(),
    root: z.strictObject({ at: three, heading: number }).optional(),
    rest: listOf(restingJoint)
      .refine((joints) => joints.length <= LIMITS.joints, { error: `expected up to ${LIMITS.joints} joints` })
      .optional(),
    layers: listOf(layer)
      .refine((layers) => layers.length > 0, { error: 'expected at least one layer' })
      .refine((layers) => layers.length <= LIMITS.layers, {
        error: `expected up to ${LIMITS.layers} layers`,
      }),
  })
  .refine(({ place, root }) => place !== 'root' || root, {
    error: 'missing, expected {"at": [x, y, z], "heading": degrees} for "place": "root"',
    path: ['root'],
  });

export type KitFile = z.infer<typeof kitSchema>;
export type KitFileLayer = KitFile['layers'][number];
export type KitFileJoint = z.infer<typeof restingJoint>;
