import { type Layer, layerById, layerIndex, type Project, type Rig } from '@evlay/core';
import { addFollowLayer, apply, overlap, posesBelow, putFollow, putNoise } from '@evlay/core/edit';
import type { PosesOverTime } from '@evlay/core/motion';
import { jointChildren } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import type { TimingNumbers } from '../../editor/session.js';
import { sameItems } from '../../ui/same-items.js';
import { command } from '../command.js';
import { appliedNow, lit, litLayer, namesAt, unkeyed } from './applied.js';
import { takesNoKeys } from './no-keys.js';

/** Numbers as they are remembered with what was worked out by them: what is on is 1. */
const remembered = (numbers: Readonly<Record<string, number | boolean>>): Record<string, number> =>
  Object.fromEntries(Object.entries(numbers).map(([name, value]) => [name, Number(value)]));

/** How much later joints are one after another on the lit layer, and how much larger. */
export const overlapNow = (editor: Editor, joints: readonly number[]): OverlapNumbers => ({
  frames: 0,
  growth: 1,
  ...appliedNow(editor, 'overlap', joints)?.numbers,
});
interface OverlapNumbers {
  readonly frames: number;
  readonly growth: number;
}

/** Slides the keys of joints one after another, from where they stood before that was done. */
export const slideKeys = command<Partial<OverlapNumbers> & { readonly joints: readonly number[] }>({
  name: 'Slide the keys of the picked joints one after another',
  layer: lit,
  refusal: (editor, { joints }) =>
    unkeyed(editor) ??
    (joints.length < 2
      ? { reason: 'Pick two joints or more, in the order in which they are to follow each other' }
      : undefined),
  run(editor, { joints, ...values }, change) {
    const names = namesAt(editor, joints);
    const numbers = { ...overlapNow(editor, joints), ...values };
    const id = lit(editor);
    change((project) =>
      apply(project, id, { kind: 'overlap', joints: names, numbers }, (plain) =>
        overlap(plain, id, { joints: names, ...numbers }),
      ),
    );
  },
});

/** The numbers of the noise that the picked joints have on the lit layer, or those that were set last. */
export function noiseNow(editor: Editor): TimingNumbers['noise'] {
  const { picked, timing } = editor.session.getState();
  const noise = { ...timing.noise, ...appliedNow(editor, 'noise', inOrder(picked))?.numbers };
  return { ...noise, everyFrame: Boolean(noise.everyFrame) };
}

/** Joints of which the order means nothing, in that of the rig. */
const inOrder = (joints: readonly number[]): number[] => [...joints].sort((a, b) => a - b);

/** Puts noise on the picked joints, in place of that which they have; with all amplitudes at 0 it is taken away. */
export const noiseOnPicked = command<Partial<TimingNumbers['noise']>>({
  name: 'Put noise on the picked joints',
  layer: lit,
  refusal(editor) {
    const layer = litLayer(editor);
    const without = layer && takesNoKeys(layer);
    if (without) return { reason: `${layer.name} ${without}` };
    if (layer?.mode !== 'additive') return { reason: 'Noise is a change: light an additive layer' };
    return editor.session.getState().picked.length === 0
      ? { reason: 'Pick the joints that are to move a little' }
      : undefined;
  },
  run(editor, values, change) {
    const { session } = editor;
    const noise = { ...noiseNow(editor), ...values };
    session.setState(({ timing }) => ({ timing: { ...timing, noise } }));
    const joints = namesAt(editor, inOrder(session.getState().picked));
    const channels = [
      ...(noise.angle > 0 ? (['rx', 'ry', 'rz'] as const) : []),
      ...(noise.centimetres > 0 ? (['tx', 'ty', 'tz'] as const) : []),
    ];
    const id = lit(editor);
    change((project) =>
      apply(project, id, { kind: 'noise', joints, numbers: remembered(noise) }, (plain) =>
        channels.length === 0
          ? plain
          : putNoise(plain, id, {
              joints,
              channels,
              angle: noise.angle,
              length: (0.01 * noise.centimetres) / plain.metresPerUnit,
              scale: 0,
              frequency: noise.frequency,
              seed: noise.seed,
              everyFrame: noise.everyFrame,
            }),
      ),
    );
  },
});

/**
 * The chains that picked joints are: each begins with the joint above those that are picked, which leads it. A joint that
 * is picked alone stands for all that hangs on it in a line.
 */
export function chainsOf(rig: Rig, picked: readonly number[]): number[][] {
  const children = jointChildren(rig);
  const wanted = new Set(picked);
  const tops = picked.filter((j) => rig.joints[j].parent >= 0 && !wanted.has(rig.joints[j].parent));
  return tops.map((top) => {
    const chain = [rig.joints[top].parent, top];
    for (let at = top; ; ) {
      const below = children[at].filter((child) => picked.length === 1 || wanted.has(child));
      if (below.length === 0) return chain;
      [at] = below;
      chain.push(at);
    }
  });
}

/** Whether a layer holds what these chains do, and nothing else: then it is written anew. */
function holdsChains(
  project: Project,
  layer: Layer | undefined,
  chains: readonly (readonly number[])[],
): boolean {
  if (layer?.mode !== 'override' || !layer.allows || layerIndex(project, layer.id) === 0) return false;
  const names = chains.flatMap((chain) => chain.slice(1).map((j) => project.rig.joints[j].name));
  return sameItems(Object.keys(layer.allows).sort(), names.sort());
}

interface KnownBelow {
  readonly of: readonly unknown[];
  readonly poses: PosesOverTime;
}
const knownBelow = new WeakMap<Editor, KnownBelow>();

/** The poses below a layer; the same ones as long as nothing of what they hang on changes, so that a drag is quick. */
function below(editor: Editor, project: Project, id: string): PosesOverTime {
  const index = layerIndex(project, id);
  const { rig, takes, fps, range, groups, parts, limbs, metresPerUnit, layers } = project;
  // Layers above can say by a solo that one below does not play.
  const solos = layers.map(({ solo, muted, group }) => `${solo} ${muted} ${group ?? ''}`).join();
  const of = [
    rig,
    takes,
    fps,
    ...range,
    groups,
    parts,
    limbs,
    metresPerUnit,
    solos,
    ...layers.slice(0, index),
  ];
  const known = knownBelow.get(editor);
  if (known && sameItems(known.of, of)) return known.poses;
  const poses = posesBelow(project, index);
  knownBelow.set(editor, { of, poses });
  return poses;
}

/** The joints of chains that follow, in the order of the rig. */
const followersOf = (chains: readonly (readonly number[])[]): number[] =>
  inOrder(chains.flatMap((chain) => chain.slice(1)));

/** By which numbers the picked chains follow on the lit layer, or those that were set last. */
export function followNow(editor: Editor): TimingNumbers['follow'] {
  const { picked, timing } = editor.session.getState();
  const chains = chainsOf(editor.history.project().rig, picked);
  const follow = { ...timing.follow, ...appliedNow(editor, 'follow', followersOf(chains))?.numbers };
  return { ...follow, everyFrame: Boolean(follow.everyFrame) };
}

/** Lets the picked chains follow their tops, as keys of a layer of their own; on that layer it is written anew. */
export const followPicked = command<Partial<TimingNumbers['follow']>>({
  name: 'Let the picked joints follow',
  layer: (editor) => {
    const project = editor.history.project();
    const chains = chainsOf(project.rig, editor.session.getState().picked);
    return holdsChains(project, litLayer(editor), chains) ? lit(editor) : undefined;
  },
  refusal({ history, session }) {
    const { rig } = history.project();
    return chainsOf(rig, session.getState().picked).length === 0
      ? { reason: 'Pick a tail, an ear, a rope: its first joint, or all of its joints' }
      : undefined;
  },
  run(editor, values, change) {
    const { session, history } = editor;
    const follow = { ...followNow(editor), ...values };
    session.setState(({ timing }) => ({ timing: { ...timing, follow } }));
    const chains = chainsOf(history.project().rig, session.getState().picked);
    const how = {
      chains,
      frequency: follow.stiffness,
      damping: follow.damping,
      lag: follow.lag / history.project().fps,
      hang: follow.hang,
      gap: follow.everyFrame ? 0 : GAP,
    };
    const applied = {
      kind: 'follow',
      joints: namesAt(editor, followersOf(chains)),
      numbers: remembered(follow),
    } as const;
    const write = (project: Project, id: string) =>
      apply(project, id, applied, (plain) => putFollow(plain, id, how, below(editor, plain, id)));
    let made: string | undefined;
    change((project) => {
      const own = lit(editor);
      if (holdsChains(project, layerById(project, own), chains)) return write(project, own);
      const added = addFollowLayer(project, chains);
      made = added.id;
      return write(added.project, added.id);
    });
    if (made) session.light(made);
  },
});

/** The most frames between two keys of what follows. */
const GAP = 3;
