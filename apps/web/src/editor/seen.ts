import { type Group, type Layer, newLayer, type Project, playing, type Take } from '@evlay/core';
import type { Crossing } from '@evlay/core/cross';
import { crossOver, projectFromTake, withTrial } from '@evlay/core/edit';
import { playsOn } from '@evlay/core/match';
import { takeDuration } from '@evlay/core/take';
import { createStore, type StoreApi } from 'zustand/vanilla';
import type { History } from './history.js';
import { kitPut } from './kit-preview.js';
import type { Alone, Session, WantedCrossing } from './session.js';

/** The project as it is seen: with a pose that is tried, with one of its layers alone, with a crossing or a kit that is looked at, or with a take in place of its stack. */
export type Seen = StoreApi<{ readonly project: Project }>;

/**
 * A take alone, at the project's rate: on the character where it plays there, else on its own skeleton. The layer that
 * plays it is taken over from `before` where it is the same, so that it is not compiled again.
 */
function takeAlone(project: Project, take: Take, before: Project | undefined): Project {
  const range = [0, Math.max(1, Math.round(takeDuration(take) * project.fps))] as const;
  const [layer] = before?.layers ?? [];
  const layers =
    layer?.id === take.id && layer.name === take.name
      ? before!.layers
      : [newLayer(take.name, 'override', { id: take.id, content: playing(take.id) })];
  // What is captured now is no take of the project yet.
  const takes = project.takes.includes(take) ? project.takes : [...project.takes, take];
  return playsOn(project.rig, take)
    ? { ...project, takes, range, layers }
    : { ...projectFromTake(take), fps: project.fps, range, layers };
}

const switched = new WeakMap<Layer, { readonly [muted in 'true' | 'false']?: Layer }>();

/** A layer that is muted or not and soloes nothing; the same one each time, so that it is not compiled again. */
function withMute(layer: Layer, muted: boolean): Layer {
  if (layer.muted === muted && !layer.solo) return layer;
  const known = switched.get(layer)?.[`${muted}`];
  if (known) return known;
  const made = { ...layer, muted, solo: false };
  switched.set(layer, { ...switched.get(layer), [`${muted}`]: made });
  return made;
}

/** A layer of the project without the others: over the base, or over the rest pose. */
export function layerAlone(project: Project, { layer: id, over }: Alone): Project {
  const layers = project.layers.map((layer, i) =>
    withMute(layer, layer.id !== id && !(i === 0 && over === 'base')),
  );
  const groups = project.groups.map(opened);
  return { ...project, layers, groups };
}

const openedOf = new WeakMap<Group, Group>();

/** A group that mutes and soloes nothing; the same one each time. */
function opened(group: Group): Group {
  if (!group.muted && !group.solo) return group;
  const known = openedOf.get(group) ?? { ...group, muted: false, solo: false };
  openedOf.set(group, known);
  return known;
}

/** Two performances of a project crossing over, without other layers. */
function crossedAlone(project: Project, { lower, upper }: WantedCrossing, crossing: Crossing): Project {
  const both = project.layers.map((layer, i) =>
    withMute(layer, i > 0 && layer.id !== lower && layer.id !== upper),
  );
  return crossOver({ ...project, layers: both, groups: project.groups.map(opened) }, upper, crossing);
}

/** What is seen of a history in a session; returns with it what ends that. */
export function createSeen(history: History, session: Session): { seen: Seen; stop: () => void } {
  const inputs = () => {
    const { trial, previewing, alone, crossing, kit, live, take: id } = session.getState();
    const project = history.project();
    const chosen = previewing ? project.takes.find((one) => one.id === id) : undefined;
    const take = previewing && live ? live : chosen;
    const layer = project.layers.some((one) => one.id === alone?.layer) ? alone : undefined;
    const putting = kit?.doing === 'put' ? kit : undefined;
    return { project, trial, take, alone: layer, crossing: crossing?.preview && crossing, putting };
  };
  const show = (
    { project, trial, take, alone, crossing, putting }: ReturnType<typeof inputs>,
    before?: Project,
  ) => {
    if (take) return takeAlone(project, take, before);
    if (crossing?.preview) return crossedAlone(project, crossing, crossing.preview.crossing);
    if (putting) return kitPut(project, putting).project;
    const tried = withTrial(project, trial);
    return alone ? layerAlone(tried, alone) : tried;
  };
  let shown = inputs();
  const seen: Seen = createStore(() => ({ project: show(shown) }));
  const follow = () => {
    const now = inputs();
    if (
      now.project === shown.project &&
      now.trial === shown.trial &&
      now.take === shown.take &&
      now.alone === shown.alone &&
      now.crossing === shown.crossing &&
      now.putting === shown.putting
    )
      return;
    shown = now;
    seen.setState(({ project }) => ({ project: show(now, project) }));
  };
  const stops = [history.store.subscribe(follow), session.subscribe(follow)];
  return { seen, stop: () => stops.forEach((stop) => void stop()) };
}
