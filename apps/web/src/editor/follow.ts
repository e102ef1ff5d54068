import { addressKey, curveAtAddress, type KeyPick, layerById, type Project } from '@evlay/core';
import type { Signal } from '../ui/signal.js';
import type { History } from './history.js';
import type { Seen } from './seen.js';
import type { Session } from './session.js';

/** The picked keys that are there; the same list where all are. */
function keysThere(project: Project, picks: readonly KeyPick[]): readonly KeyPick[] {
  const there = picks.flatMap((pick) => {
    const layer = layerById(project, pick.address.layer);
    const curve = layer && curveAtAddress(layer, pick.address);
    const keys = pick.keys.filter((id) => curve?.keys.some((key) => key.id === id));
    return keys.length > 0 ? [{ ...pick, keys }] : [];
  });
  const count = (list: readonly KeyPick[]) => list.reduce((sum, { keys }) => sum + keys.length, 0);
  return count(there) === count(picks) ? picks : there;
}

/** Whether a key is among those that are picked. */
export const isPicked = (picks: readonly KeyPick[], address: string, key: string): boolean =>
  picks.some((pick) => addressKey(pick.address) === address && pick.keys.includes(key));

/**
 * Keeps the session true to the project when an edit, or an undo, takes away what it points at: the lit layer, the
 * layer of a tried pose, picked keys, the frame at the playhead. Returns what ends that.
 */
export function followProject(history: History, session: Session, seen: Seen, playhead: Signal): () => void {
  return history.store.subscribe(({ project }, before) => {
    if (project === before.project) return;
    const has = (id: string) => project.layers.some((layer) => layer.id === id);
    const { lit, trial, keys, open } = session.getState();
    if (trial && !has(trial.layer)) session.setState({ trial: undefined });
    const there = keysThere(project, keys);
    if (there !== keys) session.setState({ keys: there });
    if (!open.every(has)) session.setState({ open: open.filter(has) });
    if (!has(lit)) {
      const was = before.project.layers.findIndex((layer) => layer.id === lit);
      const near = Math.max(0, Math.min(was - 1, project.layers.length - 1));
      session.light(project.layers[was < 0 ? project.layers.length - 1 : near].id);
    }
    const [first, last] = seen.getState().project.range;
    playhead.set(Math.min(last, Math.max(first, playhead.get())));
  });
}
