import {
  type Group,
  groupOf,
  keyFrames,
  keyMarks,
  type Layer,
  ownTime,
  type Project,
  scalarAtAddress,
  takeOf,
} from '@evlay/core';
import { largestAlpha } from '@evlay/core/evaluate';
import { partLabel, partNames } from '@evlay/core/rig';
import type { LayerFilter } from '../../editor/session.js';
import type { Shown } from '../../editor/stage.js';

/** A row of the lanes, from the top: the head of a group, or a layer. */
export type LaneRow =
  | { readonly kind: 'group'; readonly id: string }
  | { readonly kind: 'layer'; readonly id: string; readonly group: string | undefined };

/** Whether a layer is one of those that are looked for. What is asked of a frame is asked of the one that is shown. */
export function isFound(project: Project, layer: Layer, find: LayerFilter, shown: Shown): boolean {
  if (!find.open) return true;
  const wanted = find.text.trim().toLowerCase();
  if (wanted !== '' && !wordsOf(project, layer).some((word) => word.includes(wanted))) return false;
  if (find.only === 'additive' || find.only === 'override') return layer.mode === find.only;
  if (find.only === 'keys here') return hasKeysAt(project, layer, shown.frame);
  if (find.only === 'does nothing here') return doesNothing(layer, shown);
  return true;
}

/** What a layer is found by: its name, that of its group, and the parts in which it is said to count. */
function wordsOf(project: Project, layer: Layer): string[] {
  const parts = partNames(project.parts).filter((part) => {
    const weight = scalarAtAddress(layer, { kind: 'part', layer: layer.id, part });
    return layer.mask !== undefined && weight !== 0;
  });
  const group = groupOf(project.groups, layer)?.name ?? '';
  return [layer.name, group, ...parts.map(partLabel)].map((word) => word.toLowerCase());
}

function hasKeysAt(project: Project, layer: Layer, frame: number): boolean {
  if (layer.content.kind !== 'curves') return false;
  const near = 0.5;
  const time = ownTime(layer, undefined, project.fps);
  return keyMarks(time, keyFrames(layer), frame - near, frame + near).some(
    (mark) => Math.abs(mark.frame - frame) < near,
  );
}

function doesNothing(layer: Layer, { stack, frame }: Shown): boolean {
  const index = stack.layers.findIndex((one) => one.layer.id === layer.id);
  if (index < 0 || takeOf(layer) || layer.content.kind === 'curves')
    return index < 0 || !stack.live[index] || largestAlpha(stack.layers[index], frame) === 0;
  return true;
}

/** The rows of the lanes from the top: groups above their layers, of which a folded one shows none. */
export function laneRows(
  { layers, groups }: Pick<Project, 'layers' | 'groups'>,
  folded: readonly string[],
  found: (layer: Layer) => boolean,
): LaneRow[] {
  const rows: LaneRow[] = [];
  let open: Group | undefined;
  for (const layer of layers.toReversed()) {
    if (!found(layer)) continue;
    const group = groupOf(groups, layer);
    if (group && group !== open) rows.push({ kind: 'group', id: group.id });
    open = group;
    if (!group || !folded.includes(group.id)) rows.push({ kind: 'layer', id: layer.id, group: group?.id });
  }
  return rows;
}
