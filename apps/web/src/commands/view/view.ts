import { channelsOf, entryOf, type Layer, layerById, type Project, targetsOf } from '@evlay/core';
import { isFace, memberName } from '@evlay/core/rig';
import { limbEndingAt } from '../../editor/limbs.js';
import type { SessionState } from '../../editor/session.js';
import { preferences } from '../../ui/preferences.js';
import { command } from '../command.js';
import { modesOf } from './modes.js';

/** Changes how things are shown or handled: what is in the session. */
export const setView = command<Partial<SessionState>>({
  name: 'Change what is shown',
  looks: true,
  run: ({ session }, values) => session.setState(values),
});

export const openPalette = command({
  name: 'Find a command by its name',
  palette: 'Handles and view',
  shortcut: 'Ctrl+K',
  looks: true,
  run: ({ session }) => session.setState({ palette: true }),
});

export const frameCharacter = command({
  name: 'Frame the character',
  palette: 'Handles and view',
  shortcut: 'V',
  looks: true,
  run: ({ events }) => events.emit('frameCharacter', undefined),
});

/** Lets the view be a camera of the scene; none lets it be free again. */
export const lookThrough = command<string | undefined>({
  name: 'Look through a camera',
  looks: true,
  run: ({ session }, through) => session.setState({ through, cameraLocked: true }),
});

/** Looks through the first camera, then the next, then through none. */
export const lookThroughNext = command({
  name: 'Look through the next camera, or through none',
  palette: 'Handles and view',
  looks: true,
  refusal: ({ history }) =>
    history.project().scene.props.some(({ camera }) => camera)
      ? undefined
      : { reason: 'There is no camera in the scene: add one, on Joint' },
  run({ session, history }) {
    const cameras = history.project().scene.props.flatMap(({ name, camera }) => (camera ? [name] : []));
    const now = cameras.indexOf(session.getState().through ?? '');
    session.setState({ through: cameras[now + 1], cameraLocked: true });
  },
});

const SMALLEST = 0.3;
const LARGEST = 2.5;

/** A command that makes the handles larger or smaller by a quarter. */
const sizesHandles = (name: string, factor: number) =>
  command({
    name,
    palette: 'Handles and view',
    looks: true,
    run: ({ session }) =>
      session.setState(({ handleSize }) => ({
        handleSize: Math.max(SMALLEST, Math.min(LARGEST, handleSize * factor)),
      })),
  });

export const largerHandles = sizesHandles('Make the handles larger', 1.25);
export const smallerHandles = sizesHandles('Make the handles smaller', 0.8);

/** Draws with less: no shadows, and at half the resolution while something moves. */
export const toggleLight = command({
  name: 'Draw lightly, for slow machines and heavy characters',
  palette: 'Handles and view',
  looks: true,
  run({ session }) {
    const light = preferences.getState().lightDisplay || session.getState().slow;
    session.setState({ slow: false });
    preferences.setState({ lightDisplay: !light, lightWhenSlow: !light });
  },
});

/** Hides parts of the body in the view; none shows all of them. */
export const hideParts = command<readonly string[]>({
  name: 'Hide parts of the body',
  looks: true,
  run: ({ session }, hidden) => session.setState({ hidden }),
});

/** Hides the parts in which something is picked, beside those that are hidden already. */
export const hidePicked = command({
  name: 'Hide the parts that are picked',
  palette: 'Handles and view',
  shortcut: 'X',
  looks: true,
  refusal: ({ session }) =>
    session.getState().picked.length === 0 ? { reason: 'Nothing is picked' } : undefined,
  run({ session, history }) {
    const { parts } = history.project();
    session.setState(({ hidden, picked }) => ({
      hidden: [...new Set([...hidden, ...picked.map((j) => parts[j])])],
      picked: [],
      parts: [],
    }));
  },
});

export const showAllParts = command({
  name: 'Show all parts',
  palette: 'Handles and view',
  shortcut: 'Shift+X',
  looks: true,
  refusal: ({ session }) =>
    session.getState().hidden.length === 0 ? { reason: 'No part is hidden' } : undefined,
  run: ({ session }) => session.setState({ hidden: [] }),
});

/** Picks a joint; with `more` it is added to those that are picked, or let go again. */
export const pickJoint = command<{ joint: number; more: boolean }>({
  name: 'Pick a joint',
  looks: true,
  run({ session }, { joint, more }) {
    const { picked } = session.getState();
    if (!more) session.setState({ picked: [joint], parts: [] });
    else
      session.setState({
        picked: picked.includes(joint) ? picked.filter((j) => j !== joint) : [...picked, joint],
        parts: [],
      });
  },
});

/** Joints in which the end of a limb, if there is one, comes last, and so has the handles. */
function endsLast(project: Project, joints: readonly number[]): readonly number[] {
  const end = joints.find((joint) => limbEndingAt(project, joint));
  return end === undefined ? joints : [...joints.filter((joint) => joint !== end), end];
}

/** Picks a part with its joints; with `more` it is added to those that are picked, or let go again. */
export const pickPart = command<{
  part: string;
  more: boolean;
  joints: ReadonlyMap<string, readonly number[]>;
}>({
  name: 'Pick a part',
  looks: true,
  run({ session, history }, { part, more, joints }) {
    const before = session.getState().parts;
    const next = !more
      ? [part]
      : before.includes(part)
        ? before.filter((one) => one !== part)
        : [...before, part];
    const project = history.project();
    const { rig } = project;
    const members = next.flatMap((one) => joints.get(one) ?? []);
    session.setState({
      parts: next,
      picked: next.flatMap((one) =>
        endsLast(
          project,
          (joints.get(one) ?? []).filter((member) => !isFace(rig, member)),
        ),
      ),
      faces: members.filter((member) => isFace(rig, member)).map((member) => memberName(rig, member)),
    });
  },
});

/** Plays a layer alone over the base, or with `rest` over the rest pose; once more brings the whole stack back. */
export const playAlone = command<{ layer: string; rest: boolean }>({
  name: 'Play alone',
  looks: true,
  run({ session }, { layer, rest }) {
    const { alone } = session.getState();
    session.setState({ alone: alone?.layer === layer ? undefined : { layer, over: rest ? 'rest' : 'base' } });
  },
});

/** Plays the lit layer alone over the base, or brings the whole stack back. */
export const playLitAlone = command({
  name: 'Play the lit layer alone over the base, or all again',
  palette: 'Handles and view',
  shortcut: 'A',
  looks: true,
  run({ session }) {
    const { alone, lit } = session.getState();
    session.setState({ alone: alone ? undefined : { layer: lit, over: 'base' } });
  },
});

/** Whether a joint itself can be moved on a layer: the root can, and what the layer moves already. */
export function movesItself({ rig }: Project, layer: Layer | undefined, joint: number): boolean {
  const { name, parent } = rig.joints[joint];
  const channels = layer && entryOf(channelsOf(layer), name);
  return parent < 0 || Boolean(channels?.tx ?? channels?.ty ?? channels?.tz);
}

/** Whether a joint can be moved: by itself, or as the end of a limb, which comes after it. */
export const canMove = (project: Project, layer: Layer | undefined, joint: number | undefined): boolean =>
  joint === undefined ||
  (layer !== undefined && targetsOf(layer).some((one) => one.joint === project.rig.joints[joint].name)) ||
  movesItself(project, layer, joint) ||
  limbEndingAt(project, joint) !== undefined;

/** Lets handles turn, move or scale. What stretches bones is asked once. */
export const chooseHandle = command<SessionState['handle']>({
  name: 'Choose what the handles do',
  looks: true,
  refusal({ session, history }, handle) {
    const { picked, lit, placing, stretching } = session.getState();
    const project = history.project();
    const joint = picked.at(-1);
    if (placing)
      return handle === 'scale' ? { reason: 'A performance is placed by moving and turning' } : undefined;
    if (handle === 'turn' || stretching) return undefined;
    if (handle === 'move' && canMove(project, layerById(project, lit), joint)) return undefined;
    const name = joint === undefined ? 'a joint' : project.rig.joints[joint].name;
    return {
      reason: `${handle === 'move' ? 'Moving' : 'Scaling'} ${name} stretches bones`,
      remedy: {
        label: 'Let bones stretch',
        run: () => session.setState({ stretching: true, handle }),
      },
    };
  },
  run: ({ session }, handle) => session.setState({ handle }),
});

/** Whether what is scaled along one axis keeps its volume. */
export const keepsVolume = command<boolean>({
  name: 'Keep the volume of what is scaled along one axis',
  looks: true,
  run: ({ session }, keepVolume) => session.setState({ keepVolume }),
});

/** Lets joints be moved and scaled against their parents, or no more. */
export const stretchBones = command<boolean>({
  name: 'Let bones stretch: move and scale any joint',
  looks: true,
  run: ({ session }, stretching) =>
    session.setState({
      stretching,
      ...(!stretching && session.getState().handle === 'scale' && { handle: 'turn' }),
    }),
});

const handles = (name: string, shortcut: string, handle: SessionState['handle']) =>
  command({
    name,
    palette: 'Handles and view',
    shortcut,
    looks: true,
    refusal: (editor) => chooseHandle.refusal?.(editor, handle),
    run: (editor, _, change) => chooseHandle.run(editor, handle, change),
  });

export const turnJoints = handles('Turn joints by the handles', 'S', 'turn');
export const moveJoints = handles('Move joints by the handles', 'D', 'move');
export const scaleJoints = handles('Scale joints by the handles', 'Z', 'scale');

/** Drops a tried pose, leaves a mode that passes, or where there is none lets go of what is picked. */
export const letGo = command({
  name: 'Drop the tried pose, leave a mode, or let go of what is picked',
  palette: 'Handles and view',
  shortcut: 'Escape',
  looks: true,
  run({ session }) {
    const [mode] = modesOf(session.getState()).filter(({ passing }) => passing);
    if (session.getState().trial) session.setState({ trial: undefined });
    else if (mode) session.setState(mode.leave);
    else session.setState({ picked: [], faces: [], parts: [], keys: [], asked: undefined });
  },
});
