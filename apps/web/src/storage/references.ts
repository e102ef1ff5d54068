import localforage from 'localforage';

/** The reference video of a project, as it is kept in this browser: the file, and how it is shown. */
export interface KeptReference {
  readonly name: string;
  readonly video: Blob;
  readonly offset: number;
  readonly from: number;
  readonly to?: number;
  /** How strongly it lies over the view, 0 to 1; in a box of its own where missing. */
  readonly over?: number;
}

/** One for each project. */
const references = localforage.createInstance({ name: 'evlay', storeName: 'references' });

const isReference = (value: unknown): value is KeptReference => {
  const { name, video, offset, from } = (value ?? {}) as Partial<KeptReference>;
  return typeof name === 'string' && video instanceof Blob && [offset, from].every(Number.isFinite);
};

export async function readReference(project: string): Promise<KeptReference | undefined> {
  const value = await references.getItem<unknown>(project);
  return isReference(value) ? value : undefined;
}

export const putReference = async (project: string, reference: KeptReference): Promise<void> => {
  await references.setItem(project, reference);
};

export const removeReference = (project: string): Promise<void> => references.removeItem(project);

/** Takes away those of projects that are not there any more. */
export async function sweepReferences(projects: ReadonlySet<string>): Promise<void> {
  for (const id of await references.keys()) if (!projects.has(id)) await references.removeItem(id);
}
