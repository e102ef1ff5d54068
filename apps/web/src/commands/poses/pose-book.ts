import { newId, type PoseKind, type SavedPose } from '@evlay/core';
import { addPoses, changeSavedPose, deleteSavedPose, movedOnto, moveSavedPose } from '@evlay/core/edit';
import { posesText, readPoses } from '@evlay/core/format';
import { isFace, memberCount, ownerOfMember, rolesOf } from '@evlay/core/rig';
import { savePose, sideOfPose, suitsRig, wantedBySaved } from '@evlay/core/solve';
import type { Editor } from '../../editor/editor.js';
import { litCharacter } from '../../editor/lit-character.js';
import { membersPicked } from '../../editor/picked.js';
import { changePoseLibrary, poseLibrary } from '../../jobs/pose-library.js';
import { download, fileName } from '../../ui/download.js';
import { notify } from '../../ui/notify.js';
import { command, type Refusal } from '../command.js';
import { showPose } from './pose.js';

/** Where a saved pose is kept: with the project, or in this browser for all projects. */
export type PoseHome = 'project' | 'browser';

const poseAt = ({ history }: Editor, home: PoseHome, id: string): SavedPose | undefined =>
  (home === 'project' ? history.project().poses : poseLibrary.getState().poses)?.find(
    (pose) => pose.id === id,
  );

type Side = 'left' | 'right';

/** The sides of the body on which something is picked; what has no side, as a thing in a hand, does not count. */
export function sidesPicked(editor: Editor): readonly Side[] {
  const { rig, ownOf } = litCharacter(editor);
  const roles = rolesOf(rig);
  const picked = ownOf(editor.session.getState().picked);
  return (['left', 'right'] as const).filter((side) => picked.some((j) => roles[j]?.role.startsWith(side)));
}

/** The side on which something is picked, if it is one. */
function sidePicked(editor: Editor): Side | undefined {
  const [side, other] = sidesPicked(editor);
  return other ? undefined : side;
}

/** The joints below the wrist of the hand that is picked, or of whose arm something is. */
function fingersPicked(editor: Editor): number[] {
  const side = sidePicked(editor);
  if (!side) return [];
  const roles = rolesOf(litCharacter(editor).rig);
  const finger = new RegExp(`^${side}(Thumb|Index|Middle|Ring|Little)\\d`);
  return roles.flatMap((role, j) => (role && finger.test(role.role) ? [j] : []));
}

/** The joints and face channels of the lit character that a new pose of a kind holds. */
function membersFor(editor: Editor, kind: PoseKind): readonly number[] {
  const { rig, ownOf } = litCharacter(editor);
  const all = [...Array(memberCount(rig)).keys()];
  if (kind === 'hand') return fingersPicked(editor);
  if (kind === 'part') return ownOf(membersPicked(editor));
  if (kind === 'whole') return all.filter((member) => ownerOfMember(rig, member) >= 0);
  // Of a face that is picked in part those channels alone, so that a smile leaves the brows.
  const picked = ownOf(membersPicked(editor)).filter((member) => isFace(rig, member));
  return picked.length > 0 ? picked : all.filter((member) => isFace(rig, member));
}

function nothingFor(editor: Editor, kind: PoseKind): Refusal | undefined {
  if (membersFor(editor, kind).length > 0) return undefined;
  if (kind === 'face') return { reason: 'The character has no face channels' };
  return {
    reason:
      kind === 'hand'
        ? 'Pick a hand first, one that has fingers: left or right'
        : 'Pick the joints that the pose is to hold',
  };
}

/** A name that no pose has yet. */
function freeName(poses: readonly SavedPose[], stem: string): string {
  const names = new Set(poses.map(({ name }) => name));
  let k = 1;
  while (names.has(`${stem} ${k}`)) k++;
  return `${stem} ${k}`;
}

const STEMS: Record<PoseKind, string> = { hand: 'Hand', part: 'Pose', whole: 'Body', face: 'Expression' };

/** Keeps the pose that is seen in the project's pose book. */
export const saveThePose = command<PoseKind>({
  name: 'Save the pose',
  refusal: nothingFor,
  run(editor, kind, change) {
    const { history, stage } = editor;
    const { poses } = history.project();
    const { rig, poseOf } = litCharacter(editor);
    const name = freeName(poses, STEMS[kind]);
    const saved = savePose(rig, poseOf(stage.get().pose), membersFor(editor, kind), { name, kind });
    change((now) => addPoses(now, [saved]));
  },
});

/** A saved pose that is applied: to which side, and how far. */
export interface Applying {
  readonly pose: SavedPose;
  /** To which side; where something is picked, be it both, or where it was taken, if not said. */
  readonly side?: Side;
  readonly amount?: number;
  /** The pose from which it goes, where it is dialled: what was seen when the dial was taken hold of. */
  readonly from?: Parameters<typeof wantedBySaved>[1];
}

function wantedOf(editor: Editor, { pose, side, amount, from }: Applying) {
  const own = sideOfPose(pose);
  const picked = own ? sidesPicked(editor) : [];
  const wanted = side ? [side] : picked.length > 0 ? picked : [own];
  const { rig, poseOf, toScene } = litCharacter(editor);
  const start = poseOf(from ?? editor.stage.get().pose);
  return toScene(
    new Map(wanted.flatMap((one) => [...wantedBySaved(rig, start, pose, { mirrored: one !== own, amount })])),
  );
}

/** Applies a saved pose on the lit layer, where it is seen in full. */
export const applyPose = command<Applying>({
  name: 'Apply the pose',
  refusal: (editor, applying) =>
    suitsRig(litCharacter(editor).rig, applying.pose)
      ? showPose.refusal?.(editor, wantedOf(editor, applying))
      : { reason: 'The character has none of the joints of this pose' },
  run: (editor, applying, change) => showPose.run(editor, wantedOf(editor, applying), change),
});

/** A saved pose by where it is kept. */
interface PoseRef {
  readonly home: PoseHome;
  readonly id: string;
}

export const changePose = command<PoseRef & { readonly values: Parameters<typeof changeSavedPose>[2] }>({
  name: 'Change a saved pose',
  run(_, { home, id, values }, change) {
    if (home === 'project') change((project) => changeSavedPose(project, id, values));
    else
      void changePoseLibrary((poses) =>
        poses.map((pose) => (pose.id === id ? { ...pose, ...values } : pose)),
      );
  },
});

export const deletePose = command<PoseRef>({
  name: 'Delete a saved pose',
  run(editor, { home, id }, change) {
    if (home === 'project') {
      change((project) => deleteSavedPose(project, id));
      return;
    }
    const gone = poseAt(editor, home, id);
    void changePoseLibrary((poses) => poses.filter((pose) => pose.id !== id));
    // What this browser keeps belongs to no project, whose steps of undo it is not in.
    if (gone)
      notify({
        title: `“${gone.name}” was deleted`,
        text: 'It is gone from this browser.',
        action: {
          label: 'Bring it back',
          run: () => void changePoseLibrary((poses) => [...poses, gone]),
        },
      });
  },
});

export const movePose = command<PoseRef & { readonly onto: string }>({
  name: 'Order the poses',
  run(_, { home, id, onto }, change) {
    if (home === 'project') change((project) => moveSavedPose(project, id, onto));
    else void changePoseLibrary((poses) => movedOnto(poses, id, onto));
  },
});

/** Copies a pose from the project to this browser, or the other way. */
export const copyPoseTo = command<PoseRef & { readonly to: PoseHome }>({
  name: 'Keep the pose there too',
  run(editor, { home, id, to }, change) {
    const pose = poseAt(editor, home, id);
    if (!pose) return;
    const copy = { ...pose, id: newId() };
    if (to === 'project') change((project) => addPoses(project, [copy]));
    else void changePoseLibrary((poses) => [...poses, copy]);
  },
});

export const exportPoses = command<PoseHome>({
  name: 'Export the poses',
  looks: true,
  refusal: ({ history }, home) =>
    (home === 'project' ? history.project().poses : (poseLibrary.getState().poses ?? [])).length === 0
      ? { reason: 'No pose is saved here yet' }
      : undefined,
  run({ history }, home) {
    const project = history.project();
    const poses = home === 'project' ? project.poses : (poseLibrary.getState().poses ?? []);
    const name = home === 'project' ? `${project.name} poses` : 'Poses';
    download(fileName(name, 'json'), [posesText(poses)], 'application/json');
  },
});

/** Brings in poses from a file that was exported, to where they are to be kept. */
export const importPoses = command<{ readonly home: PoseHome; readonly file: File }>({
  name: 'Import poses',
  later: true,
  run({ history }, { home, file }) {
    const work = async () => {
      const poses = readPoses(file.name, new Uint8Array(await file.arrayBuffer()));
      if (home === 'project') history.edit((project) => addPoses(project, poses));
      else await changePoseLibrary((kept) => [...kept, ...poses]);
    };
    work().catch((error: Error) =>
      notify({ title: 'The poses were not brought in', text: error.message, alarm: true }),
    );
  },
});
