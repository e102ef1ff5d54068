import { baseOf, layerById, newId, type Project, type Take } from '@evlay/core';
import {
  contactsOfOthers,
  findHeldAnew,
  fitTakes,
  followEvents,
  joinOver,
  layersOutside,
  mappingFor,
  removeTake,
  removeTakes,
  renameTake,
  renameTakes,
  setBaseTake,
  setContacts,
  setMaking,
  smoothTake,
  sourceOf,
  takeById,
  takeUses,
  wantedMaking,
} from '@evlay/core/edit';
import { type Contacts, type Making, type Mapping, unmatchedJoints } from '@evlay/core/take';
import type { Editor } from '../../editor/editor.js';
import { setJobs } from '../../editor/session.js';
import { closeNotice, notify } from '../../ui/notify.js';
import { workCalmly } from '../calm-work.js';
import { type Change, command, perform } from '../command.js';
import { undo } from '../project/project.js';

/** Chooses the take that the screen Takes shows. */
export const chooseTake = command<string | undefined>({
  name: 'Choose the take',
  looks: true,
  run: ({ session }, take) => session.setState({ take }),
});

/** The id of what is made of a take when its steps change: its own, or a new one where it came from outside. */
const madeId = (project: Project, id: string): string => (takeById(project, id)?.made ? id : newId());

/** Changes the steps by which a take is made. `made` is the id of one that does not come from outside yet. */
export const changeMaking = command<{ take: string; steps: Partial<Making>; made?: string }>({
  name: 'Change how the take is made',
  run({ history, session }, { take, steps, made = madeId(history.project(), take) }, change) {
    change((project) => setMaking(project, take, steps, made));
    if (session.getState().take === take) session.setState({ take: made });
  },
});

/** Takes the noise out of a take between two of its seconds, as a step of how it is made. */
export const smoothStretch = command<{ take: string; seconds: readonly [number, number] }>({
  name: 'Smooth the take here',
  run({ history, session }, { take, seconds }, change) {
    const made = madeId(history.project(), take);
    change((project) => smoothTake(project, take, [seconds], made));
    if (session.getState().take === take) session.setState({ take: made });
  },
});

/** Fits a take to the character, by a mapping of joints or by the one that is found. */
export const fitTake = command<{ take: string; mapping?: Mapping }>({
  name: 'Fit the take to the character',
  run({ history, session }, { take: id, mapping }, change) {
    const project = history.project();
    const take = takeById(project, id);
    if (!take) return;
    const joints = mapping ?? mappingFor(project, sourceOf(project, take));
    const made = madeId(project, id);
    change((now) => fitTakes(now, id, joints, made));
    if (session.getState().take === id) session.setState({ take: made });
  },
});

/** Makes the samples of a take once more after that was refused or its worker was lost. */
export const makeAgain = command<string>({
  name: 'Make it once more',
  run({ history, session }, id) {
    const project = history.project();
    const take = takeById(project, id);
    const wanted = take && wantedMaking(project, take);
    const left = new Map(session.getState().unmade);
    if (wanted !== undefined && left.delete(wanted)) session.setState({ unmade: left });
  },
});

export const changeContacts = command<{ take: string; contacts: Contacts }>({
  name: 'Change when the feet stand',
  run: (_, { take, contacts }, change) =>
    change((project) => followEvents(setContacts(project, take, contacts))),
});

export const renameTheTake = command<{ take: string; name: string }>({
  name: 'Rename the take',
  run: (_, { take, name }, change) => change((project) => renameTake(project, take, name)),
});

export const useAsBase = command<string>({
  name: 'Set as base',
  layer: ({ history }) => baseOf(history.project()).id,
  run(editor, take, change) {
    const before = editor.history.project();
    // Contacts that were those of the base before are found anew on this one; others stay, and that is said.
    const own = before.layers.flatMap(({ id, content }) => (content.kind === 'contacts' ? [id] : []));
    const corrected = contactsOfOthers(before);
    const found = own.filter((id) => !corrected.includes(id));
    change((project) => found.reduce(findHeldAnew, setBaseTake(project, take)));
    const now = editor.history.project();
    if (now === before) return;
    const named = (ids: readonly string[]) => ids.map((id) => `“${layerById(now, id)?.name}”`).join(', ');
    const contacts = [
      ...(found.length > 0 ? [`The contacts of ${named(found)} were found anew.`] : []),
      ...(corrected.length > 0
        ? [
            `The contacts of ${named(corrected)} are those of another take: find them anew on the panel of the layer.`,
          ]
        : []),
    ];
    const notice = notify({
      title: `The base plays ${takeById(now, take)?.name}`,
      text: [...changesOf(before, now), ...contacts].join(' '),
      action: { label: 'Undo', run: () => backTo(editor, before, now) },
    });
    const { store } = editor.history;
    const steps = store.getState().past.length;
    const unfollow = store.subscribe(({ past }) => {
      if (past.length >= steps) return;
      closeNotice(notice);
      unfollow();
    });
  },
});

/** Brings the base of before back: by an undo, or where something was done since, as a step of its own. */
function backTo(editor: Editor, before: Project, after: Project): void {
  if (editor.history.project() === after) perform(editor, undo, undefined);
  else
    editor.history.edit((project) => ({
      ...project,
      fps: before.fps,
      range: before.range,
      layers: project.layers.with(0, baseOf(before)),
    }));
}

/** What another base has changed, in sentences. */
function changesOf(before: Project, now: Project): string[] {
  const ends = ({ range: [first, last] }: Project) => `${first} to ${last}`;
  const wereOutside = new Set(layersOutside(before).map(({ id }) => id));
  const outside = layersOutside(now).filter(({ id }) => !wereOutside.has(id));
  const names = outside.map(({ name }) => `“${name}”`).join(', ');
  const several = outside.length > 1;
  return [
    ...(ends(before) === ends(now) ? [] : [`The range is ${ends(now)} now, it was ${ends(before)}.`]),
    ...(before.fps === now.fps ? [] : [`It has ${Number(now.fps.toFixed(2))} frames a second now.`]),
    ...(baseOf(before).name === baseOf(now).name ? [] : [`The base is called “${baseOf(now).name}” now.`]),
    ...(outside.length > 0 ? [`${names} ${several ? 'reach' : 'reaches'} beyond the range.`] : []),
  ];
}

export const takeOut = command<string>({
  name: 'Take it out of the project',
  refusal({ history }, id) {
    const project = history.project();
    const { layers, takes, rig } = takeUses(project, id);
    if (rig) return { reason: `“${takeById(project, id)?.name}” stays, since the skeleton is in its file` };
    if (layers.length + takes.length === 0) return undefined;
    const base = layers.find((layer) => layer === baseOf(project));
    if (base)
      return {
        reason: `“${takeById(project, id)?.name}” stays, since the base plays it: set another take as the base first`,
      };
    const what =
      layers.length > 0
        ? `played by ${layers.map(({ name }) => name).join(', ')}`
        : `what ${takes.join(', ')} is made of`;
    return { reason: `“${takeById(project, id)?.name}” stays, since it is ${what}` };
  },
  run({ session }, id, change) {
    change((project) => removeTake(project, id));
    session.setState({ take: undefined });
  },
});

/** Takes several takes out at once; those that something needs stay, and it is said which. */
export const takeSeveralOut = command<readonly string[]>({
  name: 'Take the picked takes out of the project',
  refusal({ history }, ids) {
    const project = history.project();
    return removeTakes(project, ids) === project
      ? {
          reason:
            ids.length === 0
              ? 'No take is picked'
              : 'All of them are needed: by layers, or by what is made of them',
        }
      : undefined;
  },
  run({ history, session }, ids, change) {
    change((project) => removeTakes(project, ids));
    const stay = ids.flatMap((id) => takeById(history.project(), id)?.name ?? []);
    session.setState({ take: undefined });
    if (stay.length > 0)
      notify({
        title: `${stay.length} of ${ids.length} takes stay`,
        text: `They are played by layers, or others are made of them: ${stay.slice(0, 5).join(', ')}${stay.length > 5 ? ' …' : ''}`,
      });
  },
});

/** Calls several takes by one name with a number. */
export const renameSeveral = command<{ readonly takes: readonly string[]; readonly name: string }>({
  name: 'Rename the picked takes',
  refusal: (_, { name }) => (name.trim() === '' ? { reason: 'Type a name' } : undefined),
  run: (_, { takes, name }, change) => change((project) => renameTakes(project, takes, name)),
});

/** Forgets the list of files that were not brought in. */
export const forgetRefused = command({
  name: 'Forget the files that were not brought in',
  palette: 'Play and project',
  looks: true,
  refusal: ({ session }) =>
    session.getState().refusedFiles.length > 0 ? undefined : { reason: 'All files were brought in' },
  run: ({ session }) => setJobs(session, { refusedFiles: [] }),
});

/** Seconds of the end of a take, and of the beginning of the next, in which one may take over from the other. */
const ENDS = 2;

/** Puts takes one after the other on layers of their own at the top of the stack, in one step of undo. */
export const joinSeveral = command<readonly string[]>({
  name: 'Join the picked takes',
  refusal({ history }, ids) {
    const project = history.project();
    if (ids.length < 2) return { reason: 'Pick two takes or more, in the order in which they are to play' };
    const fits = (take: Take) => unmatchedJoints(project.rig, take).length < take.rig.joints.length;
    const strange = project.takes.find((take) => ids.includes(take.id) && !fits(take));
    return strange && { reason: `${strange.name} has no joint of the character: fit it first` };
  },
  run(editor, takes, change) {
    join(editor, { before: editor.history.project(), takes, choices: [] }, change);
  },
});

/** Joins takes on a project as it was, and shows their seams. */
function join(
  editor: Editor,
  { before, takes, choices }: { before: Project; takes: readonly string[]; choices: readonly number[] },
  change: Change,
): void {
  const { session, history } = editor;
  workCalmly(editor, {
    name: 'Joining takes',
    missed: 'the takes were not joined',
    long: true,
    steps: joinOver(before, takes, ENDS, choices),
    put({ project, seams }) {
      change(() => project);
      session.light(project.layers[before.layers.length].id);
      session.setState({
        joined: { before, after: history.project(), takes, seams },
        crossing: undefined,
        merging: undefined,
        kit: undefined,
      });
      if (choices.length === 0)
        notify({
          title: `${takes.length} takes are joined on layers of their own`,
          text: 'Their seams stand on Layers: another crossing of each can be chosen there.',
        });
    },
  });
}

/** Lets one of the joined takes take over at another crossing; those behind it follow. */
export const moveSeam = command<{ readonly seam: number; readonly choice: number }>({
  name: 'Take over at another crossing',
  refusal({ session, history }) {
    const { joined } = session.getState();
    return joined?.after === history.project()
      ? undefined
      : {
          reason:
            'The stack was changed since the takes were joined: choose crossings of two layers, or undo',
        };
  },
  run(editor, { seam, choice }, change) {
    const { before, takes, seams } = editor.session.getState().joined!;
    const choices = seams.map(({ found, crossing }, k) => (k === seam ? choice : found.indexOf(crossing)));
    join(editor, { before, takes, choices }, change);
  },
});

export const closeSeams = command({
  name: 'Leave the seams',
  palette: 'Layer',
  looks: true,
  run: ({ session }) => session.setState({ joined: undefined }),
});
