import { layerById, SHAPES as SHAPES_OF_PROPS } from '@evlay/core';
import { HANDLE_KINDS, SHAPES } from '@evlay/core/curve';
import { partNames } from '@evlay/core/rig';
import { contactsAsTargets, keepTheContacts } from '../commands/contacts.js';
import { bringJointsOut, clearPicked, deleteIdle, joinBelow } from '../commands/contents.js';
import { convert, keyWhatIsHeld, shiftTheWeight } from '../commands/converting.js';
import { openCrossings } from '../commands/crossings.js';
import {
  breakHandles,
  giveShape,
  HANDLE_NAMES,
  handleKeys,
  setEase,
  simplifyKeys,
  smoothTheHolds,
  unwindKeys,
} from '../commands/curves.js';
import { showHeadroom } from '../commands/findings.js';
import { letGroupGo } from '../commands/groups.js';
import { LAYER_KEYS, PROJECT_KEYS, TRANSPORT_KEYS } from '../commands/keyed.js';
import { doubleKeys, halveKeys, reverseKeys, snapKeys } from '../commands/keys.js';
import {
  addAdditiveLayer,
  addOverrideLayer,
  duplicateLit,
  lightLayer,
  moveLitDown,
  moveLitUp,
  removeLayer,
  toggleLane,
  toggleLock,
  toggleMute,
  toggleSolo,
} from '../commands/layers.js';
import { keepKeysOffPicked, letKeyAll, letKeyPicked, limitKeysToPicked } from '../commands/membership.js';
import { keyTheBase, mergeAll, mergeDown } from '../commands/merging.js';
import { pickAllLayers } from '../commands/picked-layers.js';
import { pickJoints, pickSet } from '../commands/picking.js';
import { applyPose, saveThePose } from '../commands/pose-book.js';
import { toKeyAfterPose, toKeyBeforePose } from '../commands/poses.js';
import { exportProject } from '../commands/project.js';
import { addShape } from '../commands/props.js';
import { stay } from '../commands/targets.js';
import { followPicked, keyRepeats, loopPicked, mirrorLayerMotion } from '../commands/timing.js';
import { repeatTouchUp } from '../commands/touch-up.js';
import { makePaceEven, toggleBrush } from '../commands/trails.js';
import { SPEEDS, setSpeed, toggleLoop } from '../commands/transport.js';
import { keepVariant, showVariant } from '../commands/variants.js';
import { chooseHandle, frameCharacter, setView, toggleLight } from '../commands/view.js';
import { lookFrom } from '../commands/views.js';
import { invertParts } from '../commands/weighing.js';
import type { Editor } from '../editor/editor.js';
import { HANDLE_AXES, type SessionState, TOGETHER } from '../editor/session.js';
import { poseLibrary } from '../jobs/pose-library.js';
import { item, type MenuEntry } from './context-menu.js';

/** Entries of the palette under one heading. */
export interface PaletteGroup {
  readonly name: string;
  readonly entries: readonly MenuEntry[];
}

const show = (label: string, to: Partial<SessionState>): MenuEntry => item(setView, to, label);

/** Every command by its name: what has a key, what has only a button, and what is done with things that have names. */
export function paletteGroups(editor: Editor): readonly PaletteGroup[] {
  const project = editor.history.project();
  const { lit, symmetric, snap, feetStay, endKeepsAngle, autoKey, limbLinked } = editor.session.getState();
  const layer = layerById(project, lit);
  const poses = [...project.poses, ...(poseLibrary.getState().poses ?? [])];
  return [
    {
      name: 'Pose and key',
      entries: [
        ...LAYER_KEYS.map((command) => item(command, undefined)),
        item(toKeyBeforePose, undefined),
        item(toKeyAfterPose, undefined),
        item(repeatTouchUp, { at: 'contacts' } as const, 'Repeat the touch-up at every contact of the foot'),
        item(repeatTouchUp, { at: 'mirrored' } as const, 'Repeat the touch-up mirrored at the other foot'),
        item(saveThePose, 'hand', 'Save the pose of the hand'),
        item(saveThePose, 'part', 'Save the pose of what is picked'),
        item(saveThePose, 'whole', 'Save the pose of the whole character'),
        ...[reverseKeys, snapKeys, halveKeys, doubleKeys].map((command) => item(command, undefined)),
      ],
    },
    {
      name: 'Curves and timing',
      entries: [
        ...SHAPES.map((shape) => item(giveShape, shape, `Shape the picked keys: ${shape}`)),
        ...HANDLE_KINDS.map((kind) => item(handleKeys, kind, HANDLE_NAMES[kind])),
        item(breakHandles, undefined),
        item(simplifyKeys, 0.5, 'Take out keys that the curve can do without, within half a degree'),
        item(unwindKeys, undefined),
        item(toggleBrush, undefined),
        item(makePaceEven, undefined),
        item(loopPicked, undefined),
        item(keyRepeats, undefined),
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
        item(addAdditiveLayer, undefined),
        item(addOverrideLayer, undefined),
        item(duplicateLit, undefined),
        item(removeLayer, lit),
        item(pickAllLayers, undefined),
        item(letGroupGo, undefined),
        item(bringJointsOut, 'move' as const, 'Move the picked joints out into a new layer'),
        item(bringJointsOut, 'copy' as const, 'Copy the picked joints out into a new layer'),
        item(joinBelow, { anyway: false }),
        item(clearPicked, undefined),
        item(deleteIdle, undefined),
        item(invertParts, undefined),
        item(convert, { layer: lit, weight: 1 as const }, 'Let the layer weigh 1 and keep its motion'),
        item(
          shiftTheWeight,
          { layer: lit, factor: 0.5 },
          'Halve the weight of the layer and double its keys',
        ),
        item(shiftTheWeight, { layer: lit, factor: 2 }, 'Double the weight of the layer and halve its keys'),
        item(openCrossings, undefined),
        item(mergeDown, undefined),
        item(mergeAll, undefined),
        item(keyTheBase, undefined),
        item(keepTheContacts, undefined, 'Keep contacts: hold the feet where they stand'),
        item(
          keyWhatIsHeld,
          undefined,
          'Make keys of what is held by targets and contacts, of the picked joints or of all',
        ),
        item(contactsAsTargets, lit),
        item(stay, {}, 'Stay here: hold the picked joint in the scene'),
        ...project.props.map(({ name }) => item(stay, { space: name }, `Stay on ${name}`)),
        ...SHAPES_OF_PROPS.map((shape) => item(addShape, shape, `Add a ${shape} as a prop`)),
        item(keepVariant, undefined),
        item(showVariant, undefined, 'Show the layers as they are'),
        ...project.variants.map(({ name }) => item(showVariant, name, `Show the variant ${name}`)),
        item(moveLitUp, undefined),
        item(moveLitDown, undefined),
        item(toggleMute, lit, layer?.muted ? 'Unmute the layer' : 'Mute the layer'),
        item(toggleSolo, lit, layer?.solo ? 'Let go of the solo' : 'Solo the layer'),
        item(toggleLock, lit, layer?.locked ? 'Unlock the layer' : 'Lock the layer'),
        item(toggleLane, lit, 'Open or close its lane'),
        ...[limitKeysToPicked, letKeyPicked, keepKeysOffPicked, letKeyAll].map((one) => item(one, undefined)),
        ...project.layers.map(({ id, name }) => item(lightLayer, id, `Light ${name}`)),
      ],
    },
    {
      name: 'Handles and view',
      entries: [
        item(chooseHandle, 'turn', 'Turn joints'),
        item(chooseHandle, 'move', 'Move joints'),
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
        show('Show the skin', { surface: 'skin' }),
        show('Show the bones', { surface: 'bones' }),
        show('Show skin and bones', { surface: 'both' }),
        show('Open the tab Layer', { tab: 'layer' }),
        show('Open the tab Joint', { tab: 'joint' }),
        show('Open the tab Poses', { tab: 'poses' }),
        show('Open the tab Findings', { tab: 'findings' }),
        item(showHeadroom, { layer: lit }, 'Show the headroom of the lit layer'),
        item(frameCharacter, undefined),
        item(toggleLight, undefined),
        ...project.views.map((view) => item(lookFrom, view, `Look from ${view.name}`)),
      ],
    },
    {
      name: 'Play and project',
      entries: [
        ...TRANSPORT_KEYS.map((command) => item(command, undefined)),
        item(toggleLoop, undefined),
        ...SPEEDS.map((speed) => item(setSpeed, speed, `Play at ${speed} of the speed`)),
        ...PROJECT_KEYS.map((command) => item(command, undefined)),
        item(exportProject, undefined),
      ],
    },
    {
      name: 'Pick',
      entries: [
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
