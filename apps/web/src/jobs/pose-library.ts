import type { SavedPose } from '@evlay/core';
import { posesText, readPoses } from '@evlay/core/format';
import { createStore } from 'zustand/vanilla';
import { readPoseLibrary, writePoseLibrary } from '../storage/pose-library.js';
import { notify } from '../ui/notify.js';

/** The poses that this browser keeps for all projects; undefined until they were read. */
export const poseLibrary = createStore<{ readonly poses: readonly SavedPose[] | undefined }>(() => ({
  poses: undefined,
}));

let reading: Promise<readonly SavedPose[]> | undefined;

/** Reads what this browser keeps, once. What cannot be read is told, and stays in the store as it is. */
export function openPoseLibrary(): Promise<readonly SavedPose[]> {
  reading ??= readPoseLibrary()
    .then((text) => (text === null ? [] : readPoses('the pose library', new TextEncoder().encode(text))))
    .catch((error: Error) => {
      notify({ title: 'The poses of this browser cannot be read', text: error.message, alarm: true });
      return [];
    })
    .then((poses) => {
      poseLibrary.setState({ poses });
      return poses;
    });
  return reading;
}

/** Changes the poses that this browser keeps, and writes them down. */
export async function changePoseLibrary(
  edit: (poses: readonly SavedPose[]) => readonly SavedPose[],
): Promise<void> {
  await openPoseLibrary();
  const before = poseLibrary.getState().poses ?? [];
  const poses = edit(before);
  if (poses === before) return;
  poseLibrary.setState({ poses });
  try {
    await writePoseLibrary(posesText(poses));
  } catch (error) {
    poseLibrary.setState({ poses: before });
    notify({ title: 'The pose was not kept', text: (error as Error).message, alarm: true });
  }
}
