import { type Layer, layerById, layerIndex, type Project } from '@evlay/core';
import { stripOf } from '@evlay/core/apply';
import { kitCharacter, kitRefusal, makeKitOf } from '@evlay/core/edit';
import { type LockerItem, readKit, writeKit } from '@evlay/core/format';
import { eachRefusal, type Fit, type Kit, type MotionEvent } from '@evlay/core/kit';
import type { Editor } from '../../editor/editor.js';
import { kitPut } from '../../editor/kit-preview.js';
import type { KitWork } from '../../editor/session.js';
import { putInLocker } from '../../jobs/locker.js';
import { freeName } from '../../storage/names.js';
import { colorOf } from '../../theme/theme.js';
import { download } from '../../ui/download.js';
import { stripPicture } from '../../ui/draw-strip.js';
import { notify } from '../../ui/notify.js';
import { command, type Refusal } from '../command.js';
import { pickedLayers } from '../stack/picked-layers.js';

type Making = Extract<KitWork, { doing: 'make' }>;
type Putting = Extract<KitWork, { doing: 'put' }>;

/** What other pieces of work in the right column give way to a kit. */
const ALONE = { crossing: undefined, merging: undefined } as const;

const reasonWhy = (project: Project, layers: readonly string[]): Refusal | undefined => {
  const reason = kitRefusal(project, layers);
  return reason === undefined ? undefined : { reason };
};

/** Opens the making of a kit of the picked layers. */
export const openKitMaking = command({
  name: 'Make a kit of the picked layers',
  palette: 'Layer',
  looks: true,
  refusal: (editor) => reasonWhy(editor.history.project(), pickedLayers(editor)),
  run(editor) {
    const { history, session } = editor;
    const layers = pickedLayers(editor);
    const [first] = layers;
    const name =
      layers.length === 1 ? layerById(history.project(), first)!.name : `${history.project().name} kit`;
    const character = kitCharacter(history.project(), layers, session.getState().character);
    session.setState({ ...ALONE, kit: { doing: 'make', layers, character, name, place: 'world', fits: {} } });
  },
});

/** Changes how the kit that is worked on is made or put. */
export const changeKit = command<Partial<Pick<Making, 'name' | 'place' | 'layers'>>>({
  name: 'Change the kit',
  looks: true,
  run({ session }, values) {
    const { kit } = session.getState();
    if (kit?.doing === 'make') session.setState({ kit: { ...kit, ...values } });
  },
});

/** Says how a layer of the kit finds its place on a take. */
export const fitInKit = command<{ readonly layer: string; readonly fit: Fit }>({
  name: 'Say on what the layer hangs',
  looks: true,
  refusal({ session, history }, { layer: id, fit }) {
    const { kit } = session.getState();
    const layer =
      kit?.doing === 'put'
        ? kit.kit.layers.find(({ layer: one }) => one.id === id)?.layer
        : layerById(history.project(), id);
    const reason = layer && typeof fit === 'object' ? eachRefusal(layer) : undefined;
    return reason === undefined ? undefined : { reason: reason[0].toUpperCase() + reason.slice(1) };
  },
  run({ session }, { layer, fit }) {
    const { kit } = session.getState();
    if (kit) session.setState({ kit: { ...kit, fits: { ...kit.fits, [layer]: fit } } });
  },
});

/**
 * Moves an event of the kit to another frame, or takes it out with `undefined`, in what was worked on when that began. Layers that
 * are copied to each event of its name, and were cut around it, go along.
 */
export const correctEvent = command<{
  readonly begun: KitWork;
  readonly event: MotionEvent;
  readonly frame: number | undefined;
}>({
  name: 'Correct an event of the kit',
  looks: true,
  run({ session, history }, { begun, event, frame }) {
    if (session.getState().kit?.doing !== begun.doing) return;
    const kit = begun.doing === 'make' ? kitOf(history.project(), begun) : begun.kit;
    const [first, last] = kit.range;
    const known = begun.events ?? kit.events;
    // Two of one name may have been dragged onto one frame.
    const at = known.findIndex((one) => one.name === event.name && one.frame === event.frame);
    if (at < 0) return;
    const to = frame === undefined ? undefined : Math.min(last, Math.max(first, frame));
    const events = known.toSpliced(at, 1, ...(to === undefined ? [] : [{ ...event, frame: to }]));
    const fits = { ...begun.fits };
    for (const { layer, fit } of kit.layers) {
      const now = fits[layer.id] ?? fit;
      if (typeof now === 'object' && now.each === event.name && now.at === event.frame && to !== undefined)
        fits[layer.id] = anchoredAt(now, to);
    }
    session.setState({ kit: { ...begun, fits, events: inOrder(events) } });
  },
});

/** A window that hangs on an event at another frame: what lies in it stays. */
const anchoredAt = (fit: Exclude<Fit, string>, at: number): Fit => {
  const by = at - fit.at;
  return { ...fit, at, from: fit.from - by, to: fit.to - by };
};

/** Events by their frames; of the same frame `start` first and `end` last. */
const inOrder = (events: readonly MotionEvent[]): MotionEvent[] => {
  const rank = ({ name }: MotionEvent) => (name === 'start' ? 0 : name === 'end' ? 2 : 1);
  return [...events].sort((a, b) => a.frame - b.frame || rank(a) - rank(b));
};

/** Takes the events of the kit as they were found again. */
export const eventsAsFound = command({
  name: 'Take the events as they were found',
  palette: 'Layer',
  looks: true,
  refusal: ({ session }) =>
    session.getState().kit?.events ? undefined : { reason: 'No event of the kit was corrected' },
  run({ session }) {
    const { kit } = session.getState();
    if (kit) session.setState({ kit: { ...kit, events: undefined } });
  },
});

export const closeKit = command({
  name: 'Leave the kit',
  palette: 'Layer',
  looks: true,
  run: ({ session }) => session.setState({ kit: undefined }),
});

/** The kit that is being made, as it is now. */
export const kitOf = (project: Project, { name, layers, character, place, fits, events }: Making): Kit =>
  makeKitOf(project, { name: name.trim() || 'Kit', layers, place, fits, events }, character);

/** Downloads the kit that is being made. */
export const saveKitFile = command<Making>({
  name: 'Save the kit as a file',
  looks: true,
  refusal: ({ history }, { layers }) => reasonWhy(history.project(), layers),
  run({ history }, making) {
    const kit = kitOf(history.project(), making);
    const { bytes, ending } = writeKit(kit);
    download(`${plainName(kit.name)}${ending}`, [bytes], 'application/octet-stream');
  },
});

/** A name as a file can have it. */
export const plainName = (name: string): string => name.replace(/[^\p{L}\p{N} ._-]+/gu, ' ').trim() || 'kit';

/** Puts the kit that is being made into the locker, and closes its making. */
export const keepKit = command<Making>({
  name: 'Put the kit into the locker',
  looks: true,
  refusal: ({ history }, { layers }) => reasonWhy(history.project(), layers),
  run(editor, making) {
    const { history, session } = editor;
    const project = history.project();
    const item = kitItem('kit', kitOf(project, making), project);
    void putInLocker([item]).then((kept) => {
      if (!kept) return;
      session.setState({ kit: undefined, locker: true });
      notify({
        title: `“${item.name}” is in the locker`,
        text: 'Put it on any take from there, in this project or in others.',
      });
    });
  },
});

/** A thing for the locker: a kit, or a layer as one, with a picture of what it does on a project. */
function kitItem(kind: 'kit' | 'layer', kit: Kit, project: Project): Omit<LockerItem, 'id'> {
  const { bytes, ending } = writeKit(kit);
  const ids = new Set(kit.layers.map(({ layer }) => layer.id));
  const shown = { ...project, layers: project.layers.filter(({ id }, k) => k === 0 || ids.has(id)) };
  const color = kit.layers.find(({ layer }) => layer.color)?.layer.color ?? colorOf('lamp', 'dark');
  const picture = stripPicture(stripOf(shown, 12), color, colorOf('ground', 'dark'));
  return {
    kind,
    name: kit.name,
    tags: [],
    ...(picture && { picture }),
    file: `${plainName(kit.name)}${ending}`,
    bytes,
  };
}

/** Keeps each of the picked layers in the locker, for other stacks. */
export const keepLayers = command({
  name: 'Keep the picked layers in the locker',
  palette: 'Layer',
  looks: true,
  refusal: (editor) => reasonWhy(editor.history.project(), pickedLayers(editor)),
  run(editor) {
    const { history, session } = editor;
    const project = history.project();
    const layers = pickedLayers(editor).map((id) => layerById(project, id)!);
    const items = layers.map((layer: Layer) => {
      const { id, name } = layer;
      const character = kitCharacter(project, [id], session.getState().character);
      const kit = makeKitOf(project, { name, layers: [id], fits: { [id]: 'shift' } }, character);
      return kitItem('layer', kit, project);
    });
    void putInLocker(items).then((kept) => kept && session.setState({ locker: true }));
  },
});

/** Shows the locker, or puts it away. */
export const toggleLocker = command({
  name: 'Open the locker',
  palette: 'Layer',
  shortcut: 'Shift+L',
  looks: true,
  run: ({ session }) => session.setState(({ locker }) => ({ locker: !locker })),
});

/** Looks at a kit on the stack before it is put there. */
export const openKitPutting = command<{ readonly kit: Kit; readonly above?: string }>({
  name: 'Put a kit on the stack',
  looks: true,
  run: ({ session }, { kit, above }) =>
    session.setState({
      ...ALONE,
      kit: {
        doing: 'put',
        kit,
        character: session.getState().character,
        ...(above !== undefined && { above }),
        fits: {},
      },
    }),
});

/** Puts the kit that is looked at on the stack. */
export const putTheKit = command<Putting>({
  name: 'Put it on',
  run(editor, putting, change) {
    const { session } = editor;
    let top: string | undefined;
    change((project) => {
      const put = kitPut(project, putting);
      top = put.layers.at(-1);
      return put.project;
    });
    session.setState({ kit: undefined });
    if (top !== undefined) session.light(top);
  },
});

/** Puts the layers of a kit on the stack at once, as a copy of them. */
export const putLayers = command<{ readonly kit: Kit; readonly above?: string }>({
  name: 'Put the layer on the stack',
  run(editor, { kit, above }, change) {
    const { session } = editor;
    let top: string | undefined;
    change((project) => {
      const { character } = session.getState();
      const at = above !== undefined && { above };
      const put = kitPut(project, { doing: 'put', kit, character, ...at, fits: {} });
      top = put.layers.at(-1);
      return withFreeNames(put.project, put.layers);
    });
    if (top !== undefined) session.light(top);
  },
});

/** Layers that were put get names that no other has. */
function withFreeNames(project: Project, put: readonly string[]): Project {
  const names = project.layers.flatMap(({ id, name }) => (put.includes(id) ? [] : [name]));
  const layers = [...project.layers];
  for (const id of put) {
    const index = layerIndex(project, id);
    const name = freeName(layers[index].name, names);
    names.push(name);
    layers[index] = { ...layers[index], name };
  }
  return { ...project, layers };
}

/** Reads a kit from a file; tells what is wrong with it, and gives nothing then. */
export async function kitFromFile(name: string, bytes: Uint8Array): Promise<Kit | undefined> {
  try {
    return await readKit(name, bytes);
  } catch (error) {
    notify({ title: 'The kit cannot be read', text: (error as Error).message, alarm: true });
    return undefined;
  }
}

/** Shows an editor a kit file that was chosen or dropped. */
export async function showKitFile(editor: Editor, file: File): Promise<void> {
  const kit = await kitFromFile(file.name, new Uint8Array(await file.arrayBuffer()));
  if (kit) openKitPutting.run(editor, { kit }, () => undefined);
}
