import localforage from 'localforage';
import { z } from 'zod';
import { digestOf, digestOfState, type Save, type StoredState } from './record.js';

/**
 * Projects as they were kept before files and states were named by digests: a document, a history and files under ids
 * of their own. They are read once, put away in today's form and taken out.
 */
const storeOf = (storeName: string) => localforage.createInstance({ name: 'evlay', storeName });
const documents = storeOf('documents');
const histories = storeOf('histories');
const assets = storeOf('assets');

const earlierState = z.object({ name: z.string(), stack: z.string(), about: z.string().optional() });
const earlierDocument = earlierState.extend({
  id: z.string(),
  saved: z.number(),
  takes: z.array(z.object({ file: z.string(), asset: z.string() })),
  character: z.string().optional(),
  picture: z.string().optional(),
  deleted: z.number().optional(),
});
const earlierHistory = z.object({ past: z.array(earlierState), future: z.array(earlierState) });

const stateOf = ({ name, stack, about }: z.infer<typeof earlierState>): StoredState => ({
  name,
  stack,
  json: about ?? JSON.stringify({ name }),
});

async function converted(document: z.infer<typeof earlierDocument>): Promise<Save> {
  const history = earlierHistory.safeParse(await histories.getItem(document.id)).data;
  const states = new Map<string, StoredState>();
  const named = (state: z.infer<typeof earlierState>) => {
    const today = stateOf(state);
    const digest = digestOfState(today);
    states.set(digest, today);
    return digest;
  };
  const files = new Map<string, Uint8Array>();
  const keep = async (asset: string): Promise<string | undefined> => {
    const bytes = await assets.getItem<unknown>(asset);
    if (!(bytes instanceof Uint8Array)) return undefined;
    files.set(digestOf(bytes), bytes);
    return digestOf(bytes);
  };
  const found = await Promise.all(
    document.takes.map(async ({ file, asset }) => ({ id: asset, file, digest: await keep(asset) })),
  );
  const character = document.character && (await keep(document.character));
  return {
    record: {
      id: document.id,
      name: document.name,
      saved: document.saved,
      ...(document.deleted !== undefined && { deleted: document.deleted }),
      state: named(document),
      past: history?.past.map(named) ?? [],
      future: history?.future.map(named) ?? [],
      files: found.flatMap(({ id, file, digest }) => (digest ? [{ id, file, digest }] : [])),
      ...(document.character && character && { character: { id: document.character, digest: character } }),
    },
    states,
    files,
  };
}

/** Hands every project of the earlier form to `put`, with its picture, and takes it out once it is put away. */
export async function takeInEarlier(put: (save: Save, picture?: string) => Promise<void>): Promise<void> {
  const ids = await documents.keys();
  for (const id of ids) {
    const document = earlierDocument.safeParse(await documents.getItem(id)).data;
    // One that cannot be read stays where it is: it is of no use, and harms nothing.
    if (!document) continue;
    await put(await converted(document), document.picture);
    await documents.removeItem(id);
    await histories.removeItem(id);
  }
  if (ids.length > 0 && (await documents.length()) === 0) await assets.clear();
}
