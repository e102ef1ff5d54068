import { channelsOf, emptyRecord, entryOf, layerById, layerIndex, restPose } from '@evlay/core';
import {
  type PoseValues,
  valuesBetween,
  valuesHeld,
  valuesOfBelow,
  valuesOfKeyBefore,
  valuesTowards,
} from '@evlay/core/edit';
import {
  isFace,
  memberIndex,
  memberName,
  memberNames,
  mirrorTransforms,
  ownerOfMember,
} from '@evlay/core/rig';
import { savePose, towards, wantedBySaved } from '@evlay/core/solve';
import type { Editor } from '../../editor/editor.js';
import { litCharacter } from '../../editor/lit-character.js';
import { membersPicked } from '../../editor/picked.js';
import { type CopiedPose, poseClipboard } from '../../editor/pose-clipboard.js';
import { command, type Refusal } from '../command.js';
import { litRefusal, membersMeant, type Posing, setLitValues, showPose, wantedAsIn } from './pose.js';

/** The joints and face channels of the lit character that a pose is taken of: those that are picked, else all. */
const membersTaken = (editor: Editor): readonly number[] => {
  const { rig, ownOf } = litCharacter(editor);
  const picked = ownOf(membersPicked(editor));
  return picked.length > 0 ? picked : memberNames(rig).map((_, j) => j);
};

export const copyPose = command({
  name: 'Copy the pose of what is picked, or of all',
  palette: 'Pose and key',
  shortcut: 'Shift+C',
  looks: true,
  run(editor) {
    const { history, session, stage } = editor;
    const { rig, poseOf } = litCharacter(editor);
    const pose = poseOf(stage.get().pose);
    const joints = emptyRecord<CopiedPose['joints'][string]>();
    const members = membersTaken(editor);
    for (const j of members) {
      if (isFace(rig, j)) {
        joints[memberName(rig, j)] = { m: pose.faces[j - rig.joints.length] };
        continue;
      }
      const { name, parent } = rig.joints[j];
      joints[name] = {
        rotation: [...pose.rotations.subarray(4 * j, 4 * j + 4)],
        ...(parent < 0 && { translation: [...pose.translations.subarray(3 * j, 3 * j + 3)] }),
      };
    }
    const { name } = history.project().scene.characters[session.getState().character];
    const kind = membersPicked(editor).length > 0 ? 'part' : 'whole';
    // Things in the scene are where they are, whoever is posed.
    const body = members.filter((member) => ownerOfMember(rig, member) >= 0);
    const byRole = savePose(rig, pose, body, { name: '', kind });
    poseClipboard.setState({ copied: { character: name, joints, byRole } });
  },
});

/**
 * Where the copied pose wants the joints of the lit character; those that it does not have are left out. The one of which it is
 * takes it as it was, another by what its joints are to the body, and stays where it stands.
 */
function copiedPosing(editor: Editor, mirrored: boolean): Posing {
  const { copied } = poseClipboard.getState();
  if (!copied) return new Map();
  const { history, session, stage } = editor;
  const { rig, poseOf, toScene } = litCharacter(editor);
  const { name } = history.project().scene.characters[session.getState().character];
  const hasAll = Object.keys(copied.joints).every((own) => memberIndex(rig, own) >= 0);
  if (name !== copied.character || !hasAll)
    return toScene(wantedBySaved(rig, poseOf(stage.get().pose), copied.byRole, { mirrored }));
  const wanted = new Map(
    Object.entries(copied.joints).map(([own, transform]) => [memberIndex(rig, own), transform]),
  );
  return toScene(mirrored ? mirrorTransforms(rig, wanted) : wanted);
}

const paste = (name: string, shortcut: string, mirrored: boolean) =>
  command({
    name,
    palette: 'Pose and key',
    shortcut,
    refusal(editor) {
      if (!poseClipboard.getState().copied) return { reason: 'No pose was copied: copy one first' };
      const posing = copiedPosing(editor, mirrored);
      if (posing.size === 0)
        return { reason: 'The pose that was copied is of a character with other joints' };
      return showPose.refusal?.(editor, posing);
    },
    run: (editor, _, change) => showPose.run(editor, copiedPosing(editor, mirrored), change),
  });

export const pastePose = paste('Paste the copied pose here', 'Shift+V', false);
export const pasteMirrored = paste('Paste the copied pose to the other side', 'Shift+M', true);

/** Why values of the joints that are meant cannot be set on the lit layer. */
function valuesRefusal(editor: Editor): Refusal | undefined {
  return (
    litRefusal(editor) ??
    (membersMeant(editor).length === 0
      ? { reason: 'No joint is picked, and the layer keys none yet' }
      : undefined)
  );
}

/** Why there is no key that the joints which are meant have on the lit layer. */
function keysRefusal(editor: Editor): Refusal | undefined {
  const { history, session } = editor;
  const layer = layerById(history.project(), session.getState().lit);
  const keyed = layer ? channelsOf(layer) : {};
  return (
    valuesRefusal(editor) ??
    (namesMeant(editor).some((name) => entryOf(keyed, name))
      ? undefined
      : { reason: 'What is picked has no keys on the lit layer' })
  );
}

const namesMeant = (editor: Editor): string[] =>
  membersMeant(editor).map((j) => memberName(editor.history.project().rig, j));

/** A command that sets values of the joints that are meant on the lit layer. */
const setsValues = (
  name: string,
  shortcut: string | undefined,
  values: (editor: Editor) => PoseValues,
  refusal: typeof valuesRefusal = valuesRefusal,
) =>
  command({
    name,
    palette: 'Pose and key',
    shortcut,
    refusal,
    run: (editor, _, change) => setLitValues(editor, values(editor), change),
  });

/** What the lit layer has to hold so that what is below it is seen. */
function belowOf(editor: Editor): PoseValues {
  const { stage, playhead, session, history } = editor;
  const index = layerIndex(history.project(), session.getState().lit);
  return valuesOfBelow(stage.get().stack, index, playhead.get(), membersMeant(editor));
}

export const keyBelow = setsValues('Key what is below: nothing of the layer here', 'N', belowOf);

export const keyRest = command({
  name: 'Key the rest pose',
  palette: 'Pose and key',
  shortcut: 'Shift+R',
  refusal: valuesRefusal,
  run(editor, _, change) {
    const rest = restPose(editor.history.project().rig);
    showPose.run(editor, wantedAsIn(editor, rest, membersMeant(editor)), change);
  },
});

/** The values of the keys at or before the playhead of the joints that are meant. */
const keyedBefore = (editor: Editor): PoseValues =>
  valuesOfKeyBefore(
    editor.history.project(),
    editor.session.getState().lit,
    editor.playhead.get(),
    namesMeant(editor),
  );

export const holdKey = setsValues(
  'Hold: copy the key before to the playhead',
  'H',
  keyedBefore,
  (editor) =>
    keysRefusal(editor) ??
    (Object.keys(keyedBefore(editor)).length === 0
      ? { reason: 'No key stands before the playhead' }
      : undefined),
);

const toNeighbour = (name: string, amount: 0 | 1) =>
  setsValues(name, undefined, (editor) => betweenKeys(editor, amount), keysRefusal);

/** The values between the keys before and after the playhead of the joints that are meant. */
const betweenKeys = (editor: Editor, amount: number): PoseValues =>
  valuesBetween(
    editor.history.project(),
    editor.session.getState().lit,
    editor.playhead.get(),
    amount,
    namesMeant(editor),
  );

export const toKeyBeforePose = toNeighbour('Take the pose of the key before', 0);
export const toKeyAfterPose = toNeighbour('Take the pose of the key after', 1);

/** Between what the in-between dial goes. */
export const DIAL_ENDS = ['keys', 'rest', 'below'] as const;
export type DialEnds = (typeof DIAL_ENDS)[number];

/** Where the dial stands, and from what it goes: the values and the pose when it was taken hold of. */
export interface Dialled {
  readonly ends: DialEnds;
  /** 0 to 1, past both: from the key before to the one after, or from what was seen to rest or to what is below. */
  readonly amount: number;
  readonly held: PoseValues;
  readonly seen: Posing;
}

/** What the dial goes from, to be kept while it is dragged. */
export function dialStart(editor: Editor): Pick<Dialled, 'held' | 'seen'> {
  const { history, session, playhead, stage } = editor;
  return {
    held: valuesHeld(history.project(), session.getState().lit, playhead.get(), namesMeant(editor)),
    seen: wantedAsIn(editor, stage.get().pose, membersMeant(editor)),
  };
}

/** Sets a pose in between. */
export const dialPose = command<Dialled>({
  name: 'Set a pose in between',
  refusal: (editor, { ends }) => (ends === 'keys' ? keysRefusal : valuesRefusal)(editor),
  run(editor, { ends, amount, held, seen }, change) {
    if (ends === 'keys') setLitValues(editor, betweenKeys(editor, amount), change);
    else if (ends === 'below') setLitValues(editor, valuesTowards(held, belowOf(editor), amount), change);
    else {
      const { rig } = editor.history.project();
      const rest = wantedAsIn(editor, restPose(rig), [...seen.keys()]);
      const from = restPose(rig);
      for (const [j, { rotation, translation }] of seen) {
        if (rotation) from.rotations.set(rotation, 4 * j);
        if (translation) from.translations.set(translation, 3 * j);
      }
      showPose.run(editor, towards(from, rest, amount), change);
    }
  },
});
