import { z } from 'zod';
import { tidySpans } from '../check/stances.js';
import { EASES } from '../curve/curve.js';
import { newId } from '../id.js';
import { APPLIED_KINDS, type Applied } from '../layer/applied.js';
import { CHANNELS } from '../layer/content.js';
import { FINDING_LIMITS, type FindingLimits, GRADED, type Graded } from '../layer/finding-limits.js';
import type { Layer } from '../layer/layer.js';
import type { Note } from '../layer/notes/note.js';
import { type Project, SEEN_PLACES } from '../layer/project.js';
import { SHAPES } from '../layer/prop.js';
import { makingKey } from '../make/make.js';
import { entryOf } from '../record.js';
import { CONTACT_LIMITS, type Contacts } from '../take/contacts.js';
import { UP_AXES } from '../take/making.js';
import { type Take, takeId } from '../take/take.js';
import { savedPoseIn, savedPoseOut, savedPoseSchema } from './pose-file.js';
import { noteSchema } from './review/notes-file.js';
import { listOf, recordOf } from './schema.js';
import { jointChannelsSchema } from './stack/stack-schema.js';
import { curveOf, mapValues, readCurve } from './stack/stack-values.js';

/** `project.json`: what only the application needs of a project, its name and of its takes what no stack file says. */

const count = z.int().nonnegative();
const named = recordOf(z.string());
const fileClip = { file: z.string().min(1), clip: z.string().optional() };

const making = z.object({
  from: z.object(fileClip),
  up: z.enum(UP_AXES).optional(),
  scale: z.number().positive().optional(),
  trim: z.tuple([count, count]).optional(),
  mapping: named.optional(),
  faces: named.optional(),
  travels: z.literal('hips').optional(),
  hands: z.boolean().optional(),
  rate: z.number().positive().optional(),
  smooth: listOf(z.tuple([count, count]).readonly())
    .readonly()
    .optional(),
  feet: z.boolean().optional(),
  close: z.object({ from: count, to: count, over: count, travel: z.boolean().optional() }).optional(),
});

const contacts = z.object({
  limits: z
    .object({ height: z.number().nonnegative(), speed: z.number().nonnegative() })
    .default(CONTACT_LIMITS),
  joints: listOf(z.string()),
  spans: listOf(z.object({ joint: z.string(), from: count, to: count })),
  pending: z.literal(true).optional(),
});

const take = z.object({
  ...fileClip,
  /** Where the take is called by another id than that of its file: one that was made anew. */
  id: z.string().min(1).optional(),
  name: z.string().min(1).optional(),
  made: making.optional(),
  /** Set where the file holds an earlier state, since its samples were not made yet. */
  outdated: z.literal(true).optional(),
  contacts: contacts.optional(),
  doubts: listOf(
    z.object({ what: z.enum(['lost', 'weak']), joint: z.string().optional(), from: count, to: count }),
  ).optional(),
  handsMoved: listOf(z.object({ joint: z.string(), from: count, to: count, most: z.number() })).optional(),
});

const direction = z.tuple([z.number(), z.number(), z.number()]);

const pickSet = z.object({ name: z.string().min(1), joints: listOf(z.string()) });

const savedView = z.object({ name: z.string().min(1), from: direction, at: direction });

const timeMark = z.object({ name: z.string().min(1), frame: z.number() });

const prop = z.object({
  name: z.string().min(1),
  shape: z.enum(SHAPES),
  size: z.tuple([z.number().positive(), z.number().positive(), z.number().positive()]),
  hidden: z.literal(true).optional(),
});

const threeLimits = z
  .tuple([z.number(), z.number(), z.number()])
  .refine(([note, warn, fault]) => note <= warn && warn <= fault, 'expected three numbers that ascend');

/** Limits of findings, of which a file may say some. */
export const findingLimitsSchema = z.object(
  Object.fromEntries(GRADED.map((one) => [one, threeLimits.optional()])) as Record<
    Graded,
    z.ZodOptional<typeof threeLimits>
  >,
);

/** Limits with those that a file says. */
export const limitsIn = (said: z.infer<typeof findingLimitsSchema>): FindingLimits => ({
  ...FINDING_LIMITS,
  ...Object.fromEntries(Object.entries(said).filter(([, limits]) => limits !== undefined)),
});

const mapping = z.object({ source: z.string(), joints: named });

const appliedSchema = z.object({
  kind: z.enum(APPLIED_KINDS),
  joints: listOf(z.string()),
  numbers: recordOf(z.number()),
  wrote: recordOf(listOf(z.enum(CHANNELS))),
  before: recordOf(jointChannelsSchema),
  stamp: z.number(),
});

/** `project.json` of a project file. */
export const projectJsonSchema = z.object({
  name: z.string().min(1),
  /** What the first character is called, which the stack calls the rig. */
  character: z.string().min(1).optional(),
  takes: listOf(take).optional(),
  mappings: listOf(mapping).optional(),
  props: listOf(prop).optional(),
  poses: listOf(savedPoseSchema).optional(),
  sets: listOf(pickSet).optional(),
  views: listOf(savedView).optional(),
  marks: listOf(timeMark).optional(),
  notes: listOf(noteSchema).optional(),
  limits: findingLimitsSchema.optional(),
  place: z.enum(SEEN_PLACES).optional(),
  ground: direction.optional(),
  /** The ease of new keys by the id of a layer, where it is another than smooth. */
  eases: recordOf(z.enum(EASES)).optional(),
  /** Layers whose spans follow their keys, by id. */
  follow: listOf(z.string()).optional(),
  /** Keys that hang on events, by the id of the layer. */
  ties: recordOf(
    listOf(
      z.object({
        curve: z.string(),
        frame: z.number(),
        event: z.string().min(1),
        at: z.number(),
        after: z.number(),
      }),
    ),
  ).optional(),
  /** When limbs stand by the keys of a layer, in its own frames, by the id of the layer and the name of the limb. */
  stands: recordOf(recordOf(listOf(z.tuple([z.number(), z.number()])))).optional(),
  /** What was worked out on keys, by the id of the layer. */
  applied: recordOf(listOf(appliedSchema)).optional(),
});

export type ProjectJson = z.infer<typeof projectJsonSchema>;

/** The project.json of a project. `fileOf` names the file of a take, by its id. */
export function projectJsonOf(project: Project, fileOf: (takeId: string) => string): ProjectJson {
  const fileClipOf = (id: string) => {
    const clip = project.takes.find((take) => take.id === id)?.source.clip;
    return { file: fileOf(id), ...(clip !== undefined && { clip }) };
  };
  const byId = new Map(project.takes.map((one) => [one.id, one]));
  return {
    name: project.name,
    ...(project.scene.characters[0].name && { character: project.scene.characters[0].name }),
    takes: project.takes.map((one) => {
      const source = one.made && byId.get(one.made.from);
      return {
        ...fileClipOf(one.id),
        ...(one.id !== takeId(one.source.id, one.source.clip) && { id: one.id }),
        name: one.name,
        ...(one.made && source && { made: madeOf(one.made, fileClipOf(source.id)) }),
        ...(source && makingKey(one, source) !== one.madeBy && { outdated: true as const }),
        ...(one.contacts && { contacts: contactsOf(one.contacts) }),
        ...(one.doubts?.length && { doubts: one.doubts.map((doubt) => ({ ...doubt })) }),
        ...(one.handsMoved?.length && { handsMoved: one.handsMoved.map((moved) => ({ ...moved })) }),
      };
    }),
    ...(project.mappings.length > 0 && {
      mappings: project.mappings.map((one) => ({ ...one, joints: { ...one.joints } })),
    }),
    ...(project.scene.props.length > 0 && {
      props: project.scene.props.map(({ name, shape, size, hidden }) => ({
        name,
        shape,
        size: [size[0], size[1], size[2]] as [number, number, number],
        ...(hidden && { hidden: true as const }),
      })),
    }),
    ...(project.poses.length > 0 && { poses: project.poses.map(savedPoseOut) }),
    ...(project.sets.length > 0 && {
      sets: project.sets.map(({ name, joints }) => ({ name, joints: [...joints] })),
    }),
    ...(project.views.length > 0 && {
      views: project.views.map(({ name, from, at }) => ({ name, from: [...from], at: [...at] })),
    }),
    ...(project.place && { place: project.place }),
    ...(project.ground && { ground: [...project.ground] as [number, number, number] }),
    ...(project.limits && {
      limits: Object.fromEntries(
        Object.entries(project.limits).map(([kind, [note, warn, fault]]) => [kind, [note, warn, fault]]),
      ) as ProjectJson['limits'],
    }),
    ...(project.marks.length > 0 && {
      marks: project.marks.map(({ name, frame }) => ({ name, frame })),
    }),
    ...(project.notes.length > 0 && { notes: project.notes.map(noteOut) }),
    ...(project.layers.some(({ ease }) => ease) && {
      eases: Object.fromEntries(project.layers.flatMap(({ id, ease }) => (ease ? [[id, ease]] : []))),
    }),
    ...(project.layers.some(({ follows }) => follows) && {
      follow: project.layers.flatMap(({ id, follows }) => (follows ? [id] : [])),
    }),
    ...(project.layers.some(({ ties }) => ties) && {
      ties: Object.fromEntries(
        project.layers.flatMap(({ id, ties }) => (ties ? [[id, ties.map((tie) => ({ ...tie }))]] : [])),
      ),
    }),
    ...(project.layers.some(({ stands }) => stands) && {
      stands: Object.fromEntries(
        project.layers.flatMap(({ id, stands }) =>
          stands
            ? [[id, mapValues(stands, (spans) => spans.map(([from, to]): [number, number] => [from, to]))]]
            : [],
        ),
      ),
    }),
    ...(project.layers.some(({ applied }) => applied) && {
      applied: Object.fromEntries(
        project.layers.flatMap(({ id, applied }) => (applied ? [[id, applied.map(appliedOf)]] : [])),
      ),
    }),
  };
}

/** A note as a file has it. */
const noteOut = (note: Note): NonNullable<ProjectJson['notes']>[number] => structuredClone(note) as never;

/** What a project.json keeps of a project beside its takes. */
export const keptIn = (
  json: ProjectJson | undefined,
): Pick<Project, 'poses' | 'sets' | 'views' | 'marks' | 'notes' | 'limits' | 'place' | 'ground'> => ({
  notes: json?.notes ?? [],
  limits: json?.limits && limitsIn(json.limits),
  place: json?.place,
  ground: json?.ground,
  poses: (json?.poses ?? []).map(savedPoseIn),
  sets: json?.sets ?? [],
  views: json?.views ?? [],
  marks: (json?.marks ?? []).map((mark) => ({ ...mark, id: newId() })).sort((a, b) => a.frame - b.frame),
});

/** What a project.json keeps for a layer: the ease of new keys, what was worked out on its keys, that its span follows them, on what they hang, and when limbs stand by them. */
export const keptOfLayer = (
  json: ProjectJson | undefined,
  id: string,
): Pick<Layer, 'ease' | 'applied' | 'follows' | 'ties' | 'stands'> => {
  const [ease, applied, ties, stands] = [
    entryOf(json?.eases, id),
    entryOf(json?.applied, id),
    entryOf(json?.ties, id),
    entryOf(json?.stands, id),
  ];
  return {
    ...(ease && { ease }),
    ...(applied && { applied: applied.map(appliedIn) }),
    ...(json?.follow?.includes(id) && { follows: true }),
    ...(ties && ties.length > 0 && { ties }),
    ...(stands && { stands: mapValues(stands, tidySpans) }),
  };
};

const appliedIn = (read: z.infer<typeof appliedSchema>): Applied => ({
  ...read,
  before: mapValues(read.before, (joint) => mapValues(joint, (curve) => readCurve(curve!))),
});

const appliedOf = ({ before, ...one }: Applied): z.infer<typeof appliedSchema> => ({
  ...one,
  joints: [...one.joints],
  numbers: { ...one.numbers },
  wrote: mapValues(one.wrote, (channels) => [...channels]),
  before: mapValues(before, (joint) => mapValues({ ...joint }, (curve) => curveOf(curve!))),
});

const contactsOf = ({ limits, joints, spans, pending }: Contacts) => ({
  limits,
  joints: [...joints],
  spans: spans.map((span) => ({ ...span })),
  ...(pending && { pending }),
});

function madeOf(
  { trim, mapping: joints, faces, ...made }: NonNullable<Take['made']>,
  from: z.infer<typeof making>['from'],
) {
  return {
    ...made,
    from,
    ...(trim && { trim: [trim[0], trim[1]] as [number, number] }),
    ...(joints && { mapping: { ...joints } }),
    ...(faces && { faces: { ...faces } }),
  };
}

/** What tells the takes of a project apart in files: the file, and the animation in it. */
export const takeKey = ({ file, clip }: { readonly file: string; readonly clip?: string }): string =>
  JSON.stringify([file, clip]);

/**
 * The takes that were read, with what the application knows of them, by {@link takeKey} and in its order. A made take
 * whose file is not there borrows the samples of its source until its own are made.
 */
export function withProjectJson(
  takes: ReadonlyMap<string, Take>,
  json: ProjectJson | undefined,
): Map<string, Take> {
  const entries = json?.takes ?? [];
  const known = new Map<string, Take>();
  const idOf = new Map(entries.map((entry) => [takeKey(entry), entry.id]));
  for (const entry of entries) {
    const key = takeKey(entry);
    const source = entry.made && takes.get(takeKey(entry.made.from));
    const found = takes.get(key) ?? (source && standIn(source, entry));
    if (!found) continue;
    const { made: _, contacts: __, madeBy: ___, ...plain } = found;
    const take: Take = {
      ...plain,
      id: entry.id ?? found.id,
      name: entry.name ?? found.name,
      ...(entry.made &&
        source && { made: { ...entry.made, from: idOf.get(takeKey(entry.made.from)) ?? source.id } }),
      ...(entry.contacts && { contacts: entry.contacts }),
      ...(entry.doubts && { doubts: entry.doubts }),
      ...(entry.handsMoved && { handsMoved: entry.handsMoved }),
    };
    const right = source && takes.has(key) && !entry.outdated;
    known.set(key, right ? { ...take, madeBy: makingKey(take, source) } : take);
  }
  for (const [key, take] of takes) if (!known.has(key)) known.set(key, take);
  return known;
}

function standIn(source: Take, { file, id }: z.infer<typeof take>): Take {
  return {
    ...source,
    id: id ?? file,
    source: { id: file, file: source.source.file, bytes: new Uint8Array() },
  };
}
