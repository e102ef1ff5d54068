import { layerById, SHAPES as SHAPES_OF_PROPS } from '@evlay/core';
import { HANDLE_KINDS, SHAPES } from '@evlay/core/curve';
import { partNames } from '@evlay/core/rig';
import type { PaletteGroup } from '../commands/command.js';
import {
  giveShape,
  HANDLE_NAMES,
  handleKeys,
  setEase,
  simplifyKeys,
  smoothTheHolds,
} from '../commands/keys/curves.js';
import { mirrorLayerMotion } from '../commands/keys/timing.js';
import { repeatTouchUp } from '../commands/keys/touch-up.js';
import { followPicked } from '../commands/keys/worked-out.js';
import { commandsUnder } from '../commands/list.js';
import { pickJoints, pickSet } from '../commands/poses/picking.js';
import { applyPose, saveThePose } from '../commands/poses/pose-book.js';
import { contactsAsTargets } from '../commands/scene/contacts.js';
import { addShape } from '../commands/scene/props.js';
import { stay } from '../commands/scene/targets.js';
import { bringJointsOut, joinBelow } from '../commands/stack/contents.js';
import { convert, shiftTheWeight } from '../commands/stack/converting.js';
import { showHeadroom } from '../commands/stack/findings.js';
import { letGroupGo } from '../commands/stack/groups.js';
import {
  lightLayer,
  removeLayer,
  toggleLane,
  toggleLock,
  toggleMute,
  toggleSolo,
} from '../commands/stack/layers.js';
import { showVariant } from '../commands/stack/variants.js';
import { SPEEDS, setSpeed } from '../commands/view/transport.js';
import { setView } from '../commands/view/view.js';
import { lookFrom } from '../commands/view/views.js';
import type { Editor } from '../editor/editor.js';
import { HANDLE_AXES, type SessionState, TOGETHER } from '../editor/session.js';
import { poseLibrary } from '../jobs/pose-library.js';
import { item, type MenuEntry } from './context-menu.js';

/** Entries of the palette under one heading. */
export interface PaletteSection {
  readonly name: string;
  readonly entries: readonly MenuEntry[];
}

/** The commands under a heading that need nothing more to be said. */
const plain = (group: PaletteGroup): readonly MenuEntry[] =>
  commandsUnder(group).map((command) => item(command, undefined));

const show = (label: string, to: Partial<SessionState>): MenuEntry => item(setView, to, label);

/** Every command by its name: what has a key, what has only a button, and what is done with things that have names. */
export function paletteGroups(editor: Editor): readonly PaletteSection[] {
  const project = editor.history.project();
  const { lit, symmetric, snap, feetStay, endKeepsAngle, autoKey, limbLinked } = editor.session.getState();
  const layer = layerById(project, lit);
  const poses = [...project.poses, ...(poseLibrary.getState().poses ?? [])];
  return [
    {
      name: 'Pose and key',
      entries: [
        ...plain('Pose and key'),
        item(repeatTouchUp, { at: 'contacts' } as const, 'Repeat the touch-up at every contact of the foot'),
        item(repeatTouchUp, { at: 'mirrored' } as const, 'Repeat the touch-up mirrored at the other foot'),
        item(saveThePose, 'hand', 'Save the pose of the hand'),
        item(saveThePose, 'part', 'Save the pose of what is picked'),
        item(saveThePose, 'whole', 'Save the pose of the whole character'),
      ],
    },
    {
      name: 'Curves and timing',
      entries: [
        ...plain('Curves and timing'),
        ...SHAPES.map((shape) => item(giveShape, shape, `Shape the picked keys: ${shape}`)),
        ...HANDLE_KINDS.map((kind) => item(handleKeys, kind, HANDLE_NAMES[kind])),
        item(simplifyKeys, 0.5, 'Take out keys that the curve can do without, within half a degree'),
        item(mirrorLayerMotion, 'all', 'Mirror the motion of the lit layer'),
        item(mirrorLayerMotion, 'picked', 'Mirror the motion of the picked joints'),
        item(followPicked, {}, 'Let the picked chains follow'),
        item(smoothTheHolds, 'picked', 'Make the holds of the picked keys smooth'),
        item(smoothTheHolds, 'lit', 'Make the holds of the lit layer smooth'),
        item(smoothTheHolds, 'all', 'Make the holds of all layers smooth'),
        item(setEase, { layer: lit, ease: 'hold' } as const, 'Blocking: new keys of the lit layer hold'),
        item(setEase, { layer: lit, ease: 'smooth' } as const, 'New keys of the lit layer are smooth'),
      ],
    },
    {
      name: 'Layer',
      entries: [
        ...plain('Layer'),
        item(removeLayer, lit),
        item(letGroupGo, undefined),
        item(bringJointsOut, 'move' as const, 'Move the picked joints out into a new layer'),
        item(bringJointsOut, 'copy' as const, 'Copy the picked joints out into a new layer'),
        item(joinBelow, { anyway: false }),
        item(convert, { layer: lit, weight: 1 as const }, 'Let the layer weigh 1 and keep its motion'),
        item(
          shiftTheWeight,
          { layer: lit, factor: 0.5 },
          'Halve the weight of the layer and double its keys',
        ),
        item(shiftTheWeight, { layer: lit, factor: 2 }, 'Double the weight of the layer and halve its keys'),
        item(contactsAsTargets, lit),
        item(stay, {}, 'Stay here: hold the picked joint in the scene'),
        ...project.scene.props.map(({ name }) => item(stay, { space: name }, `Stay on ${name}`)),
        ...SHAPES_OF_PROPS.map((shape) => item(addShape, shape, `Add a ${shape} as a prop`)),
        item(showVariant, undefined, 'Show the layers as they are'),
        ...project.variants.map(({ name }) => item(showVariant, name, `Show the variant ${name}`)),
        item(toggleMute, lit, layer?.muted ? 'Unmute the layer' : 'Mute the layer'),
        item(toggleSolo, lit, layer?.solo ? 'Let go of the solo' : 'Solo the layer'),
        item(toggleLock, lit, layer?.locked ? 'Unlock the layer' : 'Lock the layer'),
        item(toggleLane, lit, 'Open or close its lane'),
        ...project.layers.map(({ id, name }) => item(lightLayer, id, `Light ${name}`)),
      ],
    },
    {
      name: 'Handles and view',
      entries: [
        ...plain('Handles and view'),
        ...HANDLE_AXES.map((axes) => show(`Turn in the axes of the ${axes}`, { turnAxes: axes })),
        ...TOGETHER.map((together) => show(`Turn several joints: ${together}`, { together })),
        show(symmetric ? 'Stop doing the same on the other side' : 'Do the same mirrored on the other side', {
          symmetric: !symmetric,
        }),
        show(snap ? 'Let handles go freely' : 'Let handles go in steps', { snap: !snap }),
        show(feetStay ? 'Let feet go along' : 'Let feet stay where they are', { feetStay: !feetStay }),
        show(endKeepsAngle ? 'Let hands turn with their limb' : 'Let hands keep their angle', {
          endKeepsAngle: !endKeepsAngle,
        }),
        show(autoKey ? 'Switch auto key off' : 'Switch auto key on', { autoKey: !autoKey }),
        show(limbLinked ? 'Let keys of a limb be picked apart' : 'Keep keys of a limb together', {
          limbLinked: !limbLinked,
        }),
        show('See who drives in full colour', { drivenBy: 'full' }),
        show('See who drives at the edges alone', { drivenBy: 'edges' }),
        show('See the character in its own colours', { drivenBy: 'off' }),
        show('Show the skin', { surface: 'skin' }),
        show('Show the bones', { surface: 'bones' }),
        show('Show skin and bones', { surface: 'both' }),
        show('Open the tab Layer', { tab: 'layer' }),
        show('Open the tab Joint', { tab: 'joint' }),
        show('Open the tab Poses', { tab: 'poses' }),
        show('Open the tab Findings', { tab: 'findings' }),
        item(showHeadroom, { layer: lit }, 'Show the headroom of the lit layer'),
        ...project.views.map((view) => item(lookFrom, view, `Look from ${view.name}`)),
      ],
    },
    {
      name: 'Play and project',
      entries: [
        ...plain('Play and project'),
        ...SPEEDS.map((speed) => item(setSpeed, speed, `Play at ${speed} of the speed`)),
      ],
    },
    {
      name: 'Pick',
      entries: [
        ...plain('Pick'),
        ...project.sets.map(({ name }) => item(pickSet, name, `Pick the set ${name}`)),
        ...partNames(project.parts).map((part) =>
          item(
            pickJoints,
            project.parts.flatMap((one, j) => (one === part ? [j] : [])),
            `Pick the part ${part.replace(/([A-Z])/g, ' $1').toLowerCase()}`,
          ),
        ),
      ],
    },
    { name: 'Poses', entries: poses.map((pose) => item(applyPose, { pose }, `Apply the pose ${pose.name}`)) },
  ];
}
