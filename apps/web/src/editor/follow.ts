import {
  addressKey,
  curveAtAddress,
  type KeyPick,
  keyFrames,
  layerById,
  ownerById,
  type Project,
  type Rig,
} from '@evlay/core';
import { charactersOfLayer } from '@evlay/core/edit';
import { ownerOf } from '@evlay/core/rig';
import type { Signal } from '../ui/signal.js';
import type { History } from './history.js';
import type { Seen } from './seen.js';
import type { Session } from './session.js';

/** The picked keys that are there; the same list where all are. */
function keysThere(project: Project, picks: readonly KeyPick[]): readonly KeyPick[] {
  const there = picks.flatMap((pick) => {
    const layer = ownerById(project, pick.address.layer);
    const curve = layer && curveAtAddress(layer, pick.address);
    const ids = new Set(curve?.keys.map(({ id }) => id));
    const keys = pick.keys.filter((id) => ids.has(id));
    return keys.length > 0 ? [{ ...pick, keys }] : [];
  });
  const count = (list: readonly KeyPick[]) => list.reduce((sum, { keys }) => sum + keys.length, 0);
  return count(there) === count(picks) ? picks : there;
}

const idsOf = new WeakMap<readonly KeyPick[], Map<string, Set<string>>>();

/** Whether a key is among those that are picked. */
export function isPicked(picks: readonly KeyPick[], address: string, key: string): boolean {
  let ids = idsOf.get(picks);
  if (!ids) {
    ids = new Map();
    for (const pick of picks) {
      const name = addressKey(pick.address);
      ids.set(name, new Set([...(ids.get(name) ?? []), ...pick.keys]));
    }
    idsOf.set(picks, ids);
  }
  return ids.get(address)?.has(key) ?? false;
}

/** Whether a layer is one of which it is asked how long its change holds: additive, keyed on one frame, at every frame. */
function stillAsked(project: Project, id: string): boolean {
  const layer = layerById(project, id);
  return (
    layer !== undefined &&
    layer.mode === 'additive' &&
    !layer.span &&
    !layer.time &&
    keyFrames(layer).length === 1
  );
}

/** The layer that an edit gave its first key, if it is asked of it how long that holds. */
function firstKeyed(before: Project, now: Project): string | undefined {
  return now.layers.find((layer) => {
    const was = layerById(before, layer.id);
    const copied = before.layers.some(({ content }) => content === layer.content);
    return layer !== was && !copied && (!was || was.content.kind === 'nothing') && stillAsked(now, layer.id);
  })?.id;
}

/** The picked joints by their indices after props have come or gone, without those that are not there any more. */
function jointsThere(before: Rig, { joints }: Rig, picked: readonly number[]): readonly number[] {
  if (joints.length === before.joints.length) return picked;
  return picked.flatMap((j) => {
    const now = joints.findIndex(({ name }) => name === before.joints[j].name);
    return now < 0 ? [] : [now];
  });
}

/**
 * Keeps the session true to the project when an edit, or an undo, takes away what it points at: the lit layer, the
 * layer of a tried pose, picked joints and keys. It hears of a change before anything is shown of it, so that nothing
 * looks for what is not there any more. Returns what ends that.
 */
export function followProject(history: History, session: Session): () => void {
  return history.store.subscribe(({ project, future }, before) => {
    if (project === before.project) return;
    const has = (id: string) => project.layers.some((layer) => layer.id === id);
    const { lit, layers, variant, crossing, merging, trial, keys, picked, open, alone, asked } =
      session.getState();
    const joints = jointsThere(before.project.rig, project.rig, picked);
    if (joints !== picked) session.setState({ picked: joints });
    if (variant !== undefined && !project.variants.some(({ name }) => name === variant))
      session.setState({ variant: undefined });
    if (merging && !(has(merging.from) && has(merging.to))) session.setState({ merging: undefined });
    if (crossing && !(has(crossing.lower) && has(crossing.upper))) session.setState({ crossing: undefined });
    if (!layers.every(has)) session.setState({ layers: layers.filter(has) });
    if (trial && !has(trial.layer)) session.setState({ trial: undefined });
    if (alone && !has(alone.layer)) session.setState({ alone: undefined });
    // What an undo brings back was asked before.
    const first = future.length === 0 ? firstKeyed(before.project, project) : undefined;
    if (first) session.setState({ asked: first });
    else if (asked && !stillAsked(project, asked)) session.setState({ asked: undefined });
    const there = keysThere(project, keys);
    if (there !== keys) session.setState({ keys: there });
    if (!open.every(has)) session.setState({ open: open.filter(has) });
    if (!has(lit)) {
      const was = before.project.layers.findIndex((layer) => layer.id === lit);
      const near = Math.max(0, Math.min(was - 1, project.layers.length - 1));
      session.light(project.layers[was < 0 ? project.layers.length - 1 : near].id);
    }
  });
}

/**
 * Lights the character of what is lit or picked: of a layer that is of one alone, of a joint that was picked last. Returns what ends
 * that.
 */
export function followCharacter(history: History, session: Session): () => void {
  const there = (k: number) => k >= 0 && k < history.project().scene.characters.length;
  const stops = [
    session.subscribe((now, before) => {
      const { rig, scene } = history.project();
      if (scene.characters.length === 1) return;
      const joint = now.picked.at(-1);
      let wanted = now.character;
      if (now.picked !== before.picked && joint !== undefined && joint < rig.joints.length)
        wanted = ownerOf(rig, joint);
      else if (now.lit !== before.lit) {
        const own = [...charactersOfLayer(history.project(), now.lit)];
        if (own.length === 1) wanted = own[0];
      }
      if (there(wanted) && wanted !== now.character) session.setState({ character: wanted });
    }),
    history.store.subscribe(() => {
      if (!there(session.getState().character)) session.setState({ character: 0 });
    }),
  ];
  return () => {
    for (const stop of stops) stop();
  };
}

/** Keeps the playhead within the range of what is seen when the project changes. Returns what ends that. */
export const followRange = (history: History, seen: Seen, playhead: Signal): (() => void) =>
  history.store.subscribe(({ project }, before) => {
    if (project === before.project) return;
    const [start, end] = seen.getState().project.range;
    playhead.set(Math.min(end, Math.max(start, playhead.get())));
  });
