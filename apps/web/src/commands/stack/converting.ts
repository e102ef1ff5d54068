import {
  type Axes,
  frameNumber,
  type Layer,
  layerById,
  type Mode,
  type Project,
  type Reference,
  type Steps,
} from '@evlay/core';
import {
  type Conversion,
  type Converted,
  conversionRefusal,
  conversionSteps,
  heldKeysRefusal,
  heldKeysSteps,
  keepAtReference,
  modeRefusal,
  setLayer,
  setMode,
  setReference,
  shiftWeight,
} from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { notify } from '../../ui/notify.js';
import { workCalmly } from '../calm-work.js';
import { command } from '../command.js';
import { differenceText } from '../keys/difference-text.js';
import { notOfBase } from './layers.js';

type Of<V> = V & { readonly layer: string };

const itsLayer = (_: unknown, { layer }: { readonly layer: string }) => layer;

/** Frames times joints above which converting takes a while. */
const LONG = 20_000;

/** Converts a layer of a project, puts the result in its place and says how well the motion is kept. */
function convertCalmly<C extends Converted>(
  editor: Editor,
  before: Project,
  steps: Steps<C>,
  put: (done: C) => void,
): void {
  const { range, rig } = before;
  workCalmly(editor, {
    name: 'Converting the layer',
    missed: 'the layer was not converted',
    long: (range[1] - range[0]) * rig.joints.length >= LONG,
    steps,
    put(done) {
      put(done);
      tellKept(before, done);
    },
  });
}

/** Converts a layer with the same motion seen, and says by how much that is not so. */
export const convert = command<Of<Conversion>>({
  name: 'Convert the layer and keep the motion',
  layer: itsLayer,
  refusal({ history }, { layer, ...to }) {
    const reason = conversionRefusal(history.project(), layer, to);
    return reason === undefined ? undefined : { reason };
  },
  run(editor, { layer, ...to }, change) {
    const project = editor.history.project();
    convertCalmly(editor, project, conversionSteps(project, layer, to), (done) => change(() => done.project));
  },
});

/** Makes keys of what targets and contacts hold, on a layer of its own: of the picked joints where some are. */
export const keyWhatIsHeld = command<void>({
  name: 'Make keys of what is held, on a layer of its own',
  palette: 'Layer',
  refusal({ history, session }) {
    const reason = heldKeysRefusal(history.project(), session.getState().picked);
    return reason === undefined ? undefined : { reason };
  },
  run(editor, _, change) {
    const project = editor.history.project();
    const steps = heldKeysSteps(project, editor.session.getState().picked);
    convertCalmly(editor, project, steps, (done) => {
      change(() => done.project);
      editor.session.light(done.id);
    });
  },
});

/** Says how well the motion was kept. */
function tellKept(before: Project, done: Converted): void {
  const [had, has] = done.keys;
  notify({
    title: `The motion is kept to within ${differenceText(before, done)}`,
    text: `Over frames ${frameNumber(before, before.range[0])} to ${frameNumber(before, before.range[1])}: ${had === 0 ? '' : `${had} keys before, `}${has} now.`,
  });
}

/** The project with a layer as it was. */
const putBack = (project: Project, layer: Layer): Project => ({
  ...project,
  layers: project.layers.map((one) => (one.id === layer.id ? layer : one)),
});

/** Offers to keep the motion of a layer that was just changed: to do with it as it was what `keep` says. */
function offer(
  { history, gesture }: Editor,
  what: string,
  own: Layer,
  keep: (project: Project) => void,
): void {
  // A drag goes on: what it comes to is not known yet.
  if (own.content.kind === 'nothing' || gesture) return;
  notify({
    title: `${what} now, and what it holds means another motion`,
    action: {
      label: 'Keep the motion instead',
      run() {
        keep(putBack(history.project(), own));
      },
    },
  });
}

/** Switches a layer's mode, and offers to keep its motion. */
export const changeMode = command<Of<{ mode: Mode }>>({
  name: 'Change the mode',
  layer: itsLayer,
  refusal(editor, { layer, mode }) {
    const reason = modeRefusal(editor.history.project(), layer, mode);
    return notOfBase('replaces the rest pose')(editor, layer) ?? (reason ? { reason } : undefined);
  },
  run(editor, { layer, mode }, change) {
    const { history } = editor;
    const own = layerById(history.project(), layer);
    change((project) => setMode(project, layer, mode));
    if (!own || own.mode === mode) return;
    offer(editor, `“${own.name}” is ${mode}`, own, (project) =>
      convertCalmly(editor, project, conversionSteps(project, layer, { mode }), (done) =>
        history.edit(() => done.project),
      ),
    );
  },
});

/** Switches the axes of an additive layer, and offers to keep its motion. */
export const changeAxes = command<Of<{ axes: Axes }>>({
  name: 'Change the axes',
  layer: itsLayer,
  run(editor, { layer, axes }, change) {
    const { history } = editor;
    const own = layerById(history.project(), layer);
    change((project) => setLayer(project, layer, { axes }));
    if (!own || own.axes === axes) return;
    offer(editor, `“${own.name}” is meant in axes of the ${axes}`, own, (project) =>
      convertCalmly(editor, project, conversionSteps(project, layer, { axes }), (done) =>
        history.edit(() => done.project),
      ),
    );
  },
});

/** Sets what an additive take is a change from, and offers to keep its motion. */
export const changeReference = command<Of<{ reference: Reference }>>({
  name: 'Change what the take is a change from',
  layer: itsLayer,
  run(editor, { layer, reference }, change) {
    const { history } = editor;
    const own = layerById(history.project(), layer);
    change((project) => setReference(project, layer, reference));
    if (own?.mode !== 'additive' || layerById(history.project(), layer) === own) return;
    offer(editor, `“${own.name}” is a change from another pose`, own, (project) => {
      const done = keepAtReference(project, layer, reference);
      if (!done) return;
      history.edit(() => done.project);
      tellKept(project, done);
    });
  },
});

/** Halves or doubles the weight of an additive layer and scales its keys the other way, with nothing else to be seen. */
export const shiftTheWeight = command<Of<{ factor: number }>>({
  name: 'Halve the weight and double the keys',
  layer: itsLayer,
  refusal({ history }, { layer, factor }) {
    const project = history.project();
    const own = layerById(project, layer);
    if (own?.mode !== 'additive')
      return { reason: 'Only what adds can be scaled so: light an additive layer' };
    if (own.content.kind !== 'curves') return { reason: `${own.name} has no keys` };
    return shiftWeight(project, layer, factor)
      ? undefined
      : {
          reason:
            factor > 1 ? 'Its weight would be more than 2' : 'It scales joints, which is not halved exactly',
        };
  },
  run: (_, { layer, factor }, change) => change((project) => shiftWeight(project, layer, factor) ?? project),
});
