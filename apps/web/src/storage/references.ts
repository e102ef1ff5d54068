import type { ReferenceLook } from '@evlay/core/format';
import localforage from 'localforage';

/** A reference of a project, as it is kept in this browser: the file, and how it is shown. */
export interface KeptReference extends ReferenceLook {
  readonly id: string;
  readonly file: Blob;
  readonly inFile: boolean;
}

const PLACES = ['box', 'over', 'plate'] satisfies ReferenceLook['place'][];

/** A list for each project. */
const references = localforage.createInstance({ name: 'evlay', storeName: 'references' });

const isReference = (value: unknown): value is KeptReference => {
  const { id, name, file, offset, from, speed, opacity, place } = (value ?? {}) as Partial<KeptReference>;
  return (
    typeof id === 'string' &&
    typeof name === 'string' &&
    file instanceof Blob &&
    [offset, from, speed, opacity].every(Number.isFinite) &&
    typeof place === 'string' &&
    PLACES.includes(place)
  );
};

/** One video alone was kept so before there were several. */
const asListed = (value: unknown): unknown => {
  const { video, over, ...rest } = (value ?? {}) as { video?: unknown; over?: number };
  const place = over === undefined ? 'box' : 'over';
  return {
    id: '1',
    kind: 'video',
    speed: 1,
    inFile: false,
    file: video,
    place,
    opacity: over ?? 0.5,
    ...rest,
  };
};

export async function readReferences(project: string): Promise<KeptReference[]> {
  const value = await references.getItem<unknown>(project);
  if (value === null) return [];
  return (Array.isArray(value) ? value : [asListed(value)]).filter(isReference);
}

export const putReferences = async (project: string, list: readonly KeptReference[]): Promise<void> => {
  if (list.length === 0) await references.removeItem(project);
  else await references.setItem(project, list);
};

/** Takes away those of projects that are not there any more. */
export async function sweepReferences(projects: ReadonlySet<string>): Promise<void> {
  for (const id of await references.keys()) if (!projects.has(id)) await references.removeItem(id);
}
