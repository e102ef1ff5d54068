import {
  type CurveAddress,
  channelAddresses,
  type KeyPick,
  layerById,
  type Project,
  targetAddresses,
} from '@evlay/core';
import type { Ease, HandleKind, Shape } from '@evlay/core/curve';
import {
  type CurvesBefore,
  flattenPicked,
  type HandleAt,
  insertKeys,
  movePicked,
  scalePickedValues,
  setHandleAt,
  setLayerEase,
  setPickedHandles,
  shapePicked,
  simplifyPicked,
  smoothHolds,
  unwindPicked,
} from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { command, type Refusal } from '../command.js';
import { layerOfPicked, lockedFirst, nonePicked } from './keys.js';
import { takesNoKeys } from './no-keys.js';

/** Shows curves in place of the lanes, on the same time axis; once more the lanes. */
export const toggleCurves = command({
  name: 'Show curves, or lanes',
  palette: 'Curves and timing',
  shortcut: 'C',
  looks: true,
  run: ({ session }) => session.setState(({ curves }) => ({ curves: !curves })),
});

/** Lets the curves fill the height that they have, and the window the picked keys or the whole range. */
export const fitCurves = command({
  name: 'Fit the curves',
  palette: 'Curves and timing',
  shortcut: 'Shift+F',
  looks: true,
  refusal: ({ session }) => (session.getState().curves ? undefined : { reason: 'Show the curves first (C)' }),
  run({ session, events }) {
    session.setState({ window: undefined });
    events.emit('fitCurves', undefined);
  },
});

/** Keys that are moved together, each set by a value of its own. */
export interface KeysMove {
  readonly sets: readonly { readonly picks: readonly KeyPick[]; readonly value: number }[];
  readonly by: number;
  readonly copies: boolean;
  readonly before: CurvesBefore;
}

/** Moves keys in time and value, as they are dragged among curves. */
export const moveOnCurves = command<KeysMove>({
  name: 'Move keys',
  layer: (editor, { sets }) =>
    lockedFirst(
      editor.history.project(),
      sets.flatMap(({ picks }) => picks),
    ),
  run: (_, { sets, ...shift }, change) =>
    change((project) =>
      sets.reduce((current, { picks, value }) => movePicked(current, picks, { ...shift, value }), project),
    ),
});

/** Drags a handle of a key. */
export const dragHandle = command<HandleAt>({
  name: 'Shape a curve by a handle',
  layer: (_, { address }) => address.layer,
  run: (_, at, change) => change((project) => setHandleAt(project, at)),
});

const onPicked = (
  name: string,
  edit: (project: Project, picks: readonly KeyPick[], editor: Editor) => Project,
  shortcut?: string,
) =>
  command({
    name,
    palette: 'Curves and timing',
    ...(shortcut && { shortcut }),
    layer: layerOfPicked,
    refusal: nonePicked,
    run(editor, _, change) {
      const picks = editor.session.getState().keys;
      change((project) => edit(project, picks, editor));
    },
  });

/** Shapes how the picked keys are met and left. */
export const giveShape = command<Shape>({
  name: 'Shape the picked keys',
  layer: layerOfPicked,
  refusal: nonePicked,
  run({ session }, shape, change) {
    const { keys } = session.getState();
    change((project) => shapePicked(project, keys, shape));
  },
});

export const HANDLE_NAMES: Readonly<Record<HandleKind, string>> = {
  automatic: 'Let the curve find the handles',
  flat: 'Lay the handles flat',
  joined: 'Join the handles of each key',
};

/** Gives the picked keys other handles. Those that were broken are one again. */
export const handleKeys = command<HandleKind>({
  name: 'Set the handles of the picked keys',
  layer: layerOfPicked,
  refusal: nonePicked,
  run({ session }, kind, change) {
    const { keys, apart } = session.getState();
    const ids = new Set(keys.flatMap((pick) => pick.keys));
    session.setState({ apart: apart.filter((id) => !ids.has(id)) });
    change((project) => setPickedHandles(project, keys, kind));
  },
});

/** Lets each handle of the picked keys be dragged by itself. */
export const breakHandles = command({
  name: 'Break the handles of the picked keys',
  palette: 'Curves and timing',
  looks: true,
  refusal: nonePicked,
  run({ session }) {
    const { keys, apart } = session.getState();
    session.setState({ apart: [...new Set([...apart, ...keys.flatMap((pick) => pick.keys)])] });
  },
});

/** Takes out picked keys that their curves can do without. `tolerance` is in degrees, in centimetres and in hundredths. */
export const simplifyKeys = command<number>({
  name: 'Take out keys that the curve can do without',
  layer: layerOfPicked,
  refusal: nonePicked,
  run({ session, history }, tolerance, change) {
    const { keys } = session.getState();
    const length = (0.01 * tolerance) / history.project().metresPerUnit;
    change((project) =>
      simplifyPicked(project, keys, { angle: tolerance, length, weight: 0.01 * tolerance }),
    );
  },
});

export const unwindKeys = onPicked('Take out needless full turns', unwindPicked);

/** What is done with the values of picked keys while a number is dragged. */
interface ValuesOfPicked {
  readonly picks: readonly KeyPick[];
  readonly before: CurvesBefore;
}

/** Brings the picked keys of each curve towards their mean. */
export const flattenKeys = command<ValuesOfPicked & { readonly amount: number }>({
  name: 'Flatten the picked keys',
  layer: (editor, { picks }) => lockedFirst(editor.history.project(), picks),
  refusal: nonePicked,
  run: (_, { picks, amount, before }, change) =>
    change((project) => flattenPicked(project, picks, amount, before)),
});

/** Scales the values of the picked keys about a value. */
export const scaleValues = command<ValuesOfPicked & { readonly factor: number; readonly about: number }>({
  name: 'Scale the values of the picked keys',
  layer: (editor, { picks }) => lockedFirst(editor.history.project(), picks),
  refusal: nonePicked,
  run: (_, { picks, factor, about, before }, change) =>
    change((project) => scalePickedValues(project, picks, factor, about, before)),
});

/** Adds to the values of the picked keys. */
export const offsetValues = command<ValuesOfPicked & { readonly value: number }>({
  name: 'Move the values of the picked keys',
  layer: (editor, { picks }) => lockedFirst(editor.history.project(), picks),
  refusal: nonePicked,
  run: (_, { picks, value, before }, change) =>
    change((project) => movePicked(project, picks, { by: 0, value, before })),
});

/** Sets keys on curves at a frame of the project and leaves the curves as they are. */
export const insertOnCurves = command<{ addresses: readonly CurveAddress[]; frame: number }>({
  name: 'Set a key on the curve',
  layer: (_, { addresses }) => addresses[0]?.layer,
  refusal: (_, { addresses }): Refusal | undefined =>
    addresses.length === 0
      ? { reason: 'No curve is shown: pick a joint that is keyed on the lit layer' }
      : undefined,
  run: (_, { addresses, frame }, change) => change((project) => insertKeys(project, addresses, frame)),
});

/** The curves that are meant at the playhead: those of the picked keys, else of the picked joints or of the whole lit layer. */
function curvesMeant({ session, history }: Editor): readonly CurveAddress[] {
  const { keys, lit, picked } = session.getState();
  if (keys.length > 0) return keys.map(({ address }) => address);
  const project = history.project();
  const layer = layerById(project, lit);
  const names = picked.map((j) => project.rig.joints[j]?.name);
  const all = layer ? [...channelAddresses(layer), ...targetAddresses(layer)] : [];
  return all.filter((one) => names.length === 0 || ('joint' in one && names.includes(one.joint)));
}

/** Sets keys at the playhead on the curves that are meant, which stay as they are. */
export const insertHere = command({
  name: 'Set a key on the curve at the playhead',
  palette: 'Curves and timing',
  shortcut: 'Shift+N',
  layer: (editor) => curvesMeant(editor)[0]?.layer,
  refusal: (editor): Refusal | undefined =>
    curvesMeant(editor).length === 0
      ? { reason: 'Nothing is keyed there: pick keys, or a joint that is keyed on the lit layer' }
      : undefined,
  run(editor, _, change) {
    const addresses = curvesMeant(editor);
    change((project) => insertKeys(project, addresses, editor.playhead.get()));
  },
});

/** Turns holds into smooth ways: of the picked keys, of the lit layer, or of all layers. */
export const smoothTheHolds = command<'picked' | 'lit' | 'all'>({
  name: 'Make holds smooth',
  layer: (editor, where) =>
    where === 'picked' ? layerOfPicked(editor) : where === 'lit' ? editor.session.getState().lit : undefined,
  refusal(editor, where) {
    if (where === 'picked') return nonePicked(editor);
    const locked = where === 'all' && editor.history.project().layers.find((layer) => layer.locked);
    return locked ? { reason: `${locked.name} is locked` } : undefined;
  },
  run({ session, history }, where, change) {
    const { keys, lit } = session.getState();
    const layers = where === 'lit' ? [lit] : history.project().layers.map(({ id }) => id);
    change((project) => smoothHolds(project, where === 'picked' ? keys : layers));
  },
});

/** Sets the ease that new keys of a layer get: with holds a performance is blocked, pose by pose. */
export const setEase = command<{ layer: string; ease: Ease }>({
  name: 'Set how new keys go on',
  layer: (_, { layer }) => layer,
  refusal({ history }, { layer }) {
    const own = layerById(history.project(), layer);
    const without = own && takesNoKeys(own);
    return without ? { reason: `${own.name} ${without}` } : undefined;
  },
  run: (_, { layer, ease }, change) => change((project) => setLayerEase(project, layer, ease)),
});
