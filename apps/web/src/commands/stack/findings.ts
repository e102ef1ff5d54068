import { baseOf, type Layer, layerById, type Project, takeOf } from '@evlay/core';
import { type Causes, type Finding, findingKey, noisyStretch } from '@evlay/core/check';
import { deleteLayers, setRange, smoothLayer } from '@evlay/core/edit';
import { faceIndex, memberIndex } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { lookIntoCauses, stayUnder } from '../../jobs/findings.js';
import { notify } from '../../ui/notify.js';
import { command, perform } from '../command.js';
import { closeGap } from '../keys/timing.js';
import { holdWithin } from '../poses/face.js';
import { pickJoints } from '../poses/picking.js';
import { easeTheContacts, keepTheContacts } from '../scene/contacts.js';

/** Goes to a finding: to the frame where it is worst, with its joint picked or its layer lit; and looks into its causes. */
export const goToFinding = command<Finding>({
  name: 'Go to the finding',
  looks: true,
  run(editor, finding) {
    const { playhead, session, history } = editor;
    const { joint, layer, frame } = finding;
    const project = history.project();
    playhead.set(Math.min(project.range[1], Math.max(project.range[0], Math.round(frame))));
    session.setState({ finding: { key: findingKey(finding) } });
    const j = joint === undefined ? -1 : memberIndex(project.rig, joint);
    if (j >= 0) pickJoints.run(editor, [j], () => undefined);
    if (layer !== undefined && layerById(project, layer)) session.light(layer);
    lookIntoCauses(editor, finding).catch((error: Error) =>
      notify({ title: 'Its causes were not found', text: error.message, alarm: true }),
    );
  },
});

/** Looks for findings once more after that failed. */
export const lookAgain = command({
  name: 'Look again',
  palette: 'Layer',
  looks: true,
  run: ({ session }) => session.setState({ unfound: undefined }),
});

/** Lights a layer that a finding comes from. */
export const goToCause = command<string>({
  name: 'Light the layer that it comes from',
  looks: true,
  refusal: ({ history }, id) =>
    layerById(history.project(), id) ? undefined : { reason: 'The layer is not there any more' },
  run: ({ session }, id) => session.light(id),
});

/** A simple way to mend a finding: what it is called, and how it is done. */
export interface Fix {
  readonly label: string;
  readonly run: (editor: Editor) => void;
}

const holds = (project: Project): boolean =>
  project.layers.some((layer: Layer) => layer.content.kind === 'contacts' && !layer.muted);

/** How a finding is mended in one step of undo, where that is simple. */
export function fixOf(project: Project, finding: Finding, causes: Causes | undefined): Fix | undefined {
  const { kind, layer, from, to } = finding;
  if ((kind === 'slide' || kind === 'floor') && !holds(project))
    return { label: keepTheContacts.name, run: (editor) => void perform(editor, keepTheContacts, undefined) };
  if (layer !== undefined && (kind === 'idle' || kind === 'covered'))
    return { label: 'Delete the layer', run: (editor) => void perform(editor, deleteFound, layer) };
  if (kind === 'outside')
    return { label: 'Stretch the range', run: (editor) => void perform(editor, setTheRange, [from, to]) };
  if (kind === 'short' && layer === baseOf(project).id)
    return {
      label: 'End the range there',
      run: (editor) => void perform(editor, endTheRange, Math.floor(from + 1e-6)),
    };
  const { joint = '' } = finding;
  if (kind === 'range' && faceIndex(project.rig, joint) >= 0)
    return {
      label: 'Hold it within 0 and 1',
      run: (editor) => void perform(editor, holdWithin, [joint]),
    };
  const own = layer === undefined ? undefined : layerById(project, layer);
  if (kind === 'loop' && own && !takeOf(own))
    return {
      label: 'Close the loop',
      run(editor) {
        editor.session.light(own.id);
        perform(editor, closeGap, editor.session.getState().timing.stretch);
      },
    };
  const holder = causes?.causes.find((one) => layerById(project, one.layer)?.content.kind === 'contacts');
  if (kind === 'pop' && holder)
    return {
      label: easeTheContacts.name,
      run: (editor) => void perform(editor, easeTheContacts, holder.layer),
    };
  const [comes = baseOf(project).id] = causes?.causes.map((one) => one.layer) ?? [];
  const leaps = layerById(project, comes);
  if (kind === 'pop' && causes && leaps && takeOf(leaps))
    return {
      label: `Smooth “${leaps.name}” here`,
      run: (editor) => void perform(editor, smoothHere, { layer: comes, finding }),
    };
  const cause = causes?.causes.find((one) => one.layer !== baseOf(project).id);
  if (cause && ['range', 'through', 'stretch', 'slide', 'floor'].includes(kind))
    return {
      label: `Show the headroom of ${layerById(project, cause.layer)?.name ?? 'the layer'}`,
      run: (editor) => void perform(editor, showHeadroom, { layer: cause.layer }),
    };
  return undefined;
}

/** Takes the noise out of what a layer's take plays where something leaps, and where more leaps close by. */
const smoothHere = command<{ readonly layer: string; readonly finding: Finding }>({
  name: 'Smooth the take here',
  layer: (_, { layer }) => layer,
  run({ session, history }, { layer, finding }, change) {
    const { findings = [] } = session.getState();
    const frames = noisyStretch(findings, finding, 0.5 * history.project().fps);
    change((project) => smoothLayer(project, layer, frames));
  },
});

const deleteFound = command<string>({
  name: 'Delete the layer',
  layer: (_, id) => id,
  run({ session, history }, id, change) {
    const { layers } = history.project();
    const index = layers.findIndex((layer) => layer.id === id);
    if (session.getState().lit === id && index > 0) session.light(layers[index - 1].id);
    change((project) => deleteLayers(project, [id]));
  },
});

const setTheRange = command<readonly [number, number]>({
  name: 'Stretch the range',
  run: (_, [from, to], change) =>
    change((project) =>
      setRange(
        project,
        Math.min(project.range[0], Math.floor(from)),
        Math.max(project.range[1], Math.ceil(to)),
      ),
    ),
});

const endTheRange = command<number>({
  name: 'End the range where the take ends',
  run: (_, last, change) => change((project) => setRange(project, project.range[0], last)),
});

/** Shows how far a layer could be turned up, of itself or in a part, and keeps that up to date; or no more. */
export const showHeadroom = command<{ readonly layer: string; readonly part?: string } | undefined>({
  name: 'Show the headroom',
  looks: true,
  refusal: ({ history }, wanted) =>
    wanted && baseOf(history.project()).id === wanted.layer
      ? { reason: 'The base is what layers are measured against: light another layer' }
      : undefined,
  run({ session }, wanted) {
    session.setState({ headroom: wanted });
    if (wanted) session.light(wanted.layer);
  },
});

/** Turns the layer whose headroom is shown down to where nothing is found that is not found without it. */
export const stayUnderIt = command({
  name: 'Stay under it',
  palette: 'Layer',
  later: true,
  layer: ({ session }) => session.getState().headroom?.layer,
  refusal: ({ session }) =>
    session.getState().headroom?.room ? undefined : { reason: 'Its headroom is not known yet' },
  run(editor, _, change) {
    const name = layerById(editor.history.project(), editor.session.getState().headroom!.layer)?.name;
    const work = async (): Promise<void> => {
      const edit = await stayUnder(editor);
      if (!edit) return;
      const before = editor.history.project();
      change(edit);
      if (editor.history.project() === before)
        notify({ title: 'Nothing to turn down', text: `${name} stays under its headroom already.` });
    };
    work().catch((error: Error) => notify({ title: 'Not turned down', text: error.message, alarm: true }));
  },
});
