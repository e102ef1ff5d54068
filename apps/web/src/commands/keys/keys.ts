import {
  addressesOf,
  addressKey,
  curveAtAddress,
  isContent,
  type KeyPick,
  keysOn,
  layerById,
  type Project,
} from '@evlay/core';
import {
  type CurvesBefore,
  copyPicked,
  deletePicked,
  type KeyShift,
  movePicked,
  pasteKeys,
  reversePicked,
  scalePicked,
  snapPicked,
} from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { isPicked } from '../../editor/follow.js';
import { command, type Refusal } from '../command.js';
import { takesNoKeys } from './no-keys.js';

/** Picks keys in place of those that are picked; with `more` beside them. One that is picked already stays so. */
export const pickKeys = command<{ picks: readonly KeyPick[]; more: boolean }>({
  name: 'Pick keys',
  looks: true,
  run({ session }, { picks, more }) {
    const before = session.getState().keys;
    const all = picks.every(({ address, keys }) =>
      keys.every((key) => isPicked(before, addressKey(address), key)),
    );
    if (all && picks.length > 0) return;
    session.setState({ keys: more ? joined([...before, ...picks]) : picks });
  },
});

/** Picks the keys that are in a box, beside those that were picked before it was drawn. */
export const boxKeys = command<{ picks: readonly KeyPick[]; before: readonly KeyPick[] }>({
  name: 'Pick the keys in a box',
  looks: true,
  run: ({ session }, { picks, before }) =>
    session.setState({ keys: before.length > 0 ? joined([...before, ...picks]) : picks }),
});

/** Picks of one curve together. */
function joined(picks: readonly KeyPick[]): KeyPick[] {
  const byAddress = new Map<string, KeyPick>();
  for (const pick of picks) {
    const key = addressKey(pick.address);
    const before = byAddress.get(key)?.keys ?? [];
    byAddress.set(key, { ...pick, keys: [...new Set([...before, ...pick.keys])] });
  }
  return [...byAddress.values()];
}

/** Keys that are moved. */
export interface KeyMove extends KeyShift {
  readonly picks: readonly KeyPick[];
}

export const moveKeys = command<KeyMove>({
  name: 'Move keys',
  layer: (editor, { picks }) => lockedFirst(editor.history.project(), picks),
  run: (_, { picks, ...shift }, change) => change((project) => movePicked(project, picks, shift)),
});

/** Of the layers of some keys one that is locked, if there is one. */
export function lockedFirst(project: Project, picks: readonly KeyPick[]) {
  const layers = picks.map(({ address }) => address.layer);
  return layers.find((id) => layerById(project, id)?.locked) ?? layers[0];
}

/** Why nothing can be done with keys while none is picked. */
export const nonePicked = ({ session }: Editor): Refusal | undefined =>
  session.getState().keys.length === 0
    ? { reason: 'No key is picked: click one in a lane, or press K' }
    : undefined;

export const layerOfPicked = ({ session, history }: Editor) =>
  lockedFirst(history.project(), session.getState().keys);

export const deleteKeys = command({
  name: 'Delete the picked keys',
  palette: 'Pose and key',
  shortcut: 'Delete, Backspace',
  layer: layerOfPicked,
  refusal: nonePicked,
  run({ session }, _, change) {
    const { keys } = session.getState();
    change((project) => deletePicked(project, keys));
  },
});

export const copyKeys = command({
  name: 'Copy the picked keys',
  palette: 'Pose and key',
  shortcut: 'Ctrl+C',
  looks: true,
  refusal: nonePicked,
  run: ({ session, history }) =>
    session.setState({ copied: copyPicked(history.project(), session.getState().keys) }),
});

/** Where copied keys go: to the lit layer where all come from one layer, else each to its own. */
function pasteLayer({ session, history }: Editor): string | undefined {
  const { copied, lit } = session.getState();
  const sources = new Set(copied.map(({ address }) => address.layer));
  const gone = [...sources].some((id) => !layerById(history.project(), id));
  return sources.size === 1 || gone ? lit : undefined;
}

/** Pastes the copied keys at the playhead, the first of them there, and picks them. */
export const pasteCopied = command({
  name: 'Paste the copied keys at the playhead',
  palette: 'Pose and key',
  shortcut: 'Ctrl+V',
  layer: (editor) => pasteLayer(editor) ?? editor.session.getState().copied[0]?.address.layer,
  refusal(editor) {
    const { copied } = editor.session.getState();
    if (copied.length === 0) return { reason: 'No keys were copied: pick some and copy them first' };
    const layer = layerById(editor.history.project(), pasteLayer(editor) ?? '');
    const without = layer && takesNoKeys(layer);
    if (without && copied.some(({ address }) => address.kind === 'channel'))
      return { reason: `${layer.name} ${without}` };
    return undefined;
  },
  run(editor, _, change) {
    const { session, playhead } = editor;
    const layer = pasteLayer(editor);
    let picks: readonly KeyPick[] = [];
    change((project) => {
      const pasted = pasteKeys(project, session.getState().copied, playhead.get(), layer);
      picks = pasted.picks;
      return pasted.project;
    });
    session.setState({ keys: picks });
  },
});

/** Pastes copied keys of one joint on another one, on the lit layer at the playhead. */
export const pasteToJoint = command<string>({
  name: 'Paste the copied keys on a joint',
  layer: ({ session }) => session.getState().lit,
  refusal(editor) {
    const { copied } = editor.session.getState();
    const joints = new Set(
      copied.map(({ address }) => (address.kind === 'channel' ? address.joint : undefined)),
    );
    if (joints.size !== 1 || joints.has(undefined))
      return { reason: 'Copy keys of one joint first, and of nothing else' };
    return pasteCopied.refusal?.(editor, undefined);
  },
  run({ session, playhead }, joint, change) {
    const { copied, lit } = session.getState();
    const moved = copied.map(({ address, keys }) => ({
      address: address.kind === 'channel' ? { ...address, joint } : address,
      keys,
    }));
    let picks: readonly KeyPick[] = [];
    change((project) => {
      const pasted = pasteKeys(project, moved, playhead.get(), lit);
      picks = pasted.picks;
      return pasted.project;
    });
    session.setState({ keys: picks });
  },
});

/** Columns of keys of the lit layer: those of its joints on one frame together, those of each weight on their own. */
function columnsOf(project: Project, id: string): { frame: number; picks: KeyPick[] }[] {
  const layer = layerById(project, id);
  if (!layer) return [];
  const addresses = addressesOf(layer, project.parts);
  const channels = addresses.filter(isContent);
  const groups = [
    channels,
    ...addresses.filter((address) => !isContent(address)).map((address) => [address]),
  ];
  const columns = groups.flatMap((group) => {
    const frames = new Set(
      group.flatMap((address) => curveAtAddress(layer, address)?.keys.map(({ frame }) => frame) ?? []),
    );
    return [...frames].map((frame) => ({ frame, picks: keysOn(layer, group, (at) => at === frame) }));
  });
  return columns.sort((a, b) => a.frame - b.frame);
}

const pickNext = (name: string, shortcut: string, by: 1 | -1) =>
  command({
    name,
    palette: 'Pose and key',
    shortcut,
    looks: true,
    refusal: ({ history, session }) =>
      columnsOf(history.project(), session.getState().lit).length === 0
        ? { reason: 'The lit layer has no keys' }
        : undefined,
    run({ history, session }) {
      const { lit, keys: picked } = session.getState();
      const columns = columnsOf(history.project(), lit);
      const at = columns.findIndex(({ picks }) =>
        picks.every(({ address, keys }) => keys.every((key) => isPicked(picked, addressKey(address), key))),
      );
      const next = at < 0 ? (by > 0 ? 0 : columns.length - 1) : (at + by + columns.length) % columns.length;
      session.setState({ keys: columns[next].picks });
    },
  });

/** Keys and points of weights are reached by keyboard too: picked one after the other, then moved. */
export const pickNextKeys = pickNext('Pick the next keys of the lit layer', 'K', 1);
export const pickKeysBefore = pickNext('Pick the keys before', 'Shift+K', -1);

const nudge = (name: string, shortcut: string, by: number, value: number) =>
  command({
    name,
    palette: 'Pose and key',
    shortcut,
    layer: layerOfPicked,
    refusal: nonePicked,
    run({ session }, _, change) {
      const { keys: picks } = session.getState();
      change((project) => movePicked(project, picks, { by, value }));
    },
  });

/** Scales picked keys in time about a frame, from where they were. */
export const scaleKeys = command<{
  readonly picks: readonly KeyPick[];
  readonly factor: number;
  readonly about: number;
  readonly before?: CurvesBefore;
}>({
  name: 'Scale keys in time',
  layer: (editor, { picks }) => lockedFirst(editor.history.project(), picks),
  refusal: (_, { factor }) => (factor > 0 ? undefined : { reason: 'Expected a factor above 0' }),
  run: (_, { picks, factor, about, before }, change) =>
    change((project) => scalePicked(project, picks, factor, about, before)),
});

const withPicked = (name: string, shortcut: string | undefined, edit: typeof reversePicked) =>
  command({
    name,
    palette: 'Pose and key',
    shortcut,
    layer: layerOfPicked,
    refusal: nonePicked,
    run: ({ session }, _, change) => change((project) => edit(project, session.getState().keys)),
  });

export const reverseKeys = withPicked('Reverse the picked keys', undefined, reversePicked);
export const snapKeys = withPicked('Put the picked keys on whole frames', undefined, snapPicked);

/** Scales the picked keys about the playhead. */
const scaledBy = (name: string, factor: number) =>
  command({
    name,
    palette: 'Pose and key',
    layer: layerOfPicked,
    refusal: nonePicked,
    run: ({ session, playhead }, _, change) =>
      change((project) => scalePicked(project, session.getState().keys, factor, playhead.get())),
  });

export const halveKeys = scaledBy('Scale the picked keys by a half about the playhead', 0.5);
export const doubleKeys = scaledBy('Scale the picked keys by two about the playhead', 2);

export const cutKeys = command({
  name: 'Cut the picked keys',
  palette: 'Pose and key',
  shortcut: 'Ctrl+X',
  layer: layerOfPicked,
  refusal: nonePicked,
  run(editor, _, change) {
    copyKeys.run(editor, undefined, change);
    deleteKeys.run(editor, undefined, change);
  },
});

export const nudgeEarlier = nudge('Move the picked keys a frame earlier', 'Comma', -1, 0);
export const nudgeLater = nudge('Move the picked keys a frame later', 'Period', 1, 0);
export const raiseKeys = nudge('Raise the picked keys', 'PageUp', 0, 0.05);
export const lowerKeys = nudge('Lower the picked keys', 'PageDown', 0, -0.05);
