import { z } from 'zod';
import type { Project } from '../layer/project.js';
import { CONTACT_LIMITS } from '../take/contacts.js';
import { UP_AXES } from '../take/making.js';
import type { Take } from '../take/take.js';

/** What only the application needs of a project: its name, and of its takes what no stack file says. */

const count = z.int().nonnegative();
const named = z.record(z.string(), z.string());
const fileClip = { file: z.string().min(1), clip: z.string().optional() };

const making = z.object({
  from: z.object(fileClip),
  up: z.enum(UP_AXES).optional(),
  scale: z.number().positive().optional(),
  trim: z.tuple([count, count]).optional(),
  mapping: named.optional(),
  rate: z.number().positive().optional(),
  feet: z.boolean().optional(),
});

const contacts = z.object({
  limits: z
    .object({ height: z.number().nonnegative(), speed: z.number().nonnegative() })
    .default(CONTACT_LIMITS),
  joints: z.array(z.string()),
  spans: z.array(z.object({ joint: z.string(), from: count, to: count })),
});

const take = z.object({
  ...fileClip,
  name: z.string().min(1).optional(),
  made: making.optional(),
  contacts: contacts.optional(),
});

const mapping = z.object({ source: z.string(), joints: named });

/** `project.json` of a project file. */
export const aboutSchema = z.object({
  name: z.string().min(1),
  takes: z.array(take).optional(),
  mappings: z.array(mapping).optional(),
});

export type About = z.infer<typeof aboutSchema>;

/** What only the application needs of a project. `fileOf` names the file of a take, by its id. */
export function aboutOf(project: Project, fileOf: (takeId: string) => string): About {
  const place = (id: string) => {
    const clip = project.takes.find((take) => take.id === id)?.source.clip;
    return { file: fileOf(id), ...(clip !== undefined && { clip }) };
  };
  const has = (id: string) => project.takes.some((one) => one.id === id);
  return {
    name: project.name,
    takes: project.takes.map(({ id, name, made, contacts: found }) => ({
      ...place(id),
      name,
      ...(made && has(made.from) && { made: madeOf(made, place(made.from)) }),
      ...(found && {
        contacts: {
          limits: found.limits,
          joints: [...found.joints],
          spans: found.spans.map((span) => ({ ...span })),
        },
      }),
    })),
    ...(project.mappings.length > 0 && {
      mappings: project.mappings.map((one) => ({ ...one, joints: { ...one.joints } })),
    }),
  };
}

function madeOf(
  { trim, mapping: joints, ...made }: NonNullable<Take['made']>,
  from: z.infer<typeof making>['from'],
) {
  return {
    ...made,
    from,
    ...(trim && { trim: [trim[0], trim[1]] as [number, number] }),
    ...(joints && { mapping: { ...joints } }),
  };
}

/** What tells the takes of a project apart: the file, and the animation in it. */
export const takeKey = ({ file, clip }: { readonly file: string; readonly clip?: string }): string =>
  JSON.stringify([file, clip]);

/** The takes of a project with what the application knows of them, in its order. `takes` are by {@link takeKey}. */
export function withAbout(takes: ReadonlyMap<string, Take>, about: About | undefined): Take[] {
  const listed = new Map((about?.takes ?? []).map((entry) => [takeKey(entry), entry]));
  const order = [...listed.keys(), ...[...takes.keys()].filter((key) => !listed.has(key))];
  return order.flatMap((key) => {
    const found = takes.get(key);
    if (!found) return [];
    const entry = listed.get(key);
    if (!entry) return [found];
    const source = entry.made && takes.get(takeKey(entry.made.from));
    const { made: _, contacts: __, ...plain } = found;
    return [
      {
        ...plain,
        name: entry.name ?? found.name,
        ...(entry.made && source && { made: { ...entry.made, from: source.id } }),
        ...(entry.contacts && { contacts: entry.contacts }),
      },
    ];
  });
}
