import { type Take } from '@evlay/core';
import { notify } from '../state/notify.js';
import type { PathFile } from './import.worker.js';
import { bringIn } from './open.js';

/** Brings the takes of files into the open project and says what is doubtful. Undefined where it did not work. */
export async function bringInAndTell(files: readonly PathFile[], step?: symbol): Promise<Take | undefined> {
  let reason: string;
  try {
    const brought = await bringIn(files, step);
    if ('take' in brought) {
      for (const warning of brought.warnings) notify({ title: 'Brought in, with a warning', text: warning });
      return brought.take;
    }
    reason = brought.refused;
  } catch (error) {
    reason = (error as Error).message;
  }
  notify({ title: 'The take was not brought in', text: reason, alarm: true });
  return undefined;
}
