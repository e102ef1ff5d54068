import { type Axes, type Layer, layerById, type Mode, type Project } from '@evlay/core';
import {
  type Conversion,
  conversionFault,
  convertLayer,
  setLayer,
  setMode,
  shiftWeight,
} from '@evlay/core/edit';
import { notify } from '../ui/notify.js';
import { command } from './command.js';
import { differenceText } from './difference-text.js';
import { notOfBase } from './layers.js';

type Of<V> = V & { readonly layer: string };

const itsLayer = (_: unknown, { layer }: { readonly layer: string }) => layer;

/** Converts a layer with the same motion seen, and says by how much that is not so. */
export const convert = command<Of<Conversion>>({
  name: 'Convert the layer and keep the motion',
  layer: itsLayer,
  refusal({ history }, { layer, ...to }) {
    const reason = conversionFault(history.project(), layer, to);
    return reason === undefined ? undefined : { reason };
  },
  run({ history }, { layer, ...to }, change) {
    const before = history.project();
    const done = convertLayer(before, layer, to);
    change(() => done.project);
    const [had, has] = done.keys;
    const keys = had === 0 ? `${has} keys now` : `${had} keys before, ${has} now`;
    notify({
      title: `The motion is kept to within ${differenceText(before, done)}`,
      text: `“${layerById(before, layer)?.name}” over frames ${before.range[0]} to ${before.range[1]}: ${keys}.`,
    });
  },
});

/** The project with a layer as it was. */
const putBack = (project: Project, layer: Layer): Project => ({
  ...project,
  layers: project.layers.map((one) => (one.id === layer.id ? layer : one)),
});

/** What an offer to keep the motion says of a change that was made. */
function offer(perform: () => void, what: string, hasContent: boolean): void {
  if (!hasContent) return;
  notify({
    title: `${what} now: its keys are the same numbers, and mean another motion`,
    action: { label: 'Keep the motion instead', run: perform },
  });
}

/** Switches a layer's mode, and offers to keep its motion. */
export const changeMode = command<Of<{ mode: Mode }>>({
  name: 'Change the mode',
  layer: itsLayer,
  refusal: (editor, { layer }) => notOfBase('replaces the rest pose')(editor, layer),
  run(editor, { layer, mode }, change) {
    const { history } = editor;
    const own = layerById(history.project(), layer);
    change((project) => setMode(project, layer, mode));
    if (!own || own.mode === mode) return;
    const keep = () => history.edit((now) => convertLayer(putBack(now, own), layer, { mode }).project);
    offer(keep, `“${own.name}” is ${mode}`, own.content.kind !== 'nothing');
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
    const keep = () => history.edit((now) => convertLayer(putBack(now, own), layer, { axes }).project);
    offer(keep, `“${own.name}” is meant in axes of the ${axes}`, own.content.kind !== 'nothing');
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
