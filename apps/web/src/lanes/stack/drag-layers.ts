import { baseOf, layerIndex, type Project } from '@evlay/core';
import { layersOfGroup, type Place } from '@evlay/core/edit';
import type { PointerEvent } from 'react';
import { putLayers } from '../../commands/stack/layers.js';
import { together } from '../../commands/stack/picked-layers.js';
import type { Editor } from '../../editor/editor.js';
import { startDrag } from '../../gestures/gesture.js';

/** A row as it stood when a drag began: what it is of, and where. */
interface Standing {
  readonly layer?: string;
  readonly group?: string;
  readonly top: number;
  readonly bottom: number;
}

/** The rows of the lanes as they stand now, from the top. */
function standing(list: Element): Standing[] {
  return [...list.querySelectorAll<HTMLElement>('[data-layer], [data-group]')].map((row) => {
    const { top, bottom } = row.getBoundingClientRect();
    return { layer: row.dataset.layer, group: row.dataset.group, top, bottom };
  });
}

/**
 * Where what is dragged comes to at a height: above or below the row that stood there, in the group of that row. What is
 * held over the lower half of a group's head comes into the group.
 */
function placeAt(
  project: Project,
  rows: readonly Standing[],
  y: number,
  moved: readonly string[],
): Place | undefined {
  const row = rows.find(({ bottom }) => y < bottom) ?? rows[rows.length - 1];
  if (!row) return undefined;
  const upper = y < (row.top + row.bottom) / 2;
  const base = baseOf(project).id;
  if (row.layer === undefined && row.group !== undefined) {
    const top = layersOfGroup(project, row.group).at(-1);
    return top === undefined ? undefined : { above: top, ...(!upper && { group: row.group }) };
  }
  const layer = project.layers.find(({ id }) => id === row.layer);
  if (!layer) return undefined;
  if (upper || layer.id === base)
    return { above: layer.id, ...(layer.group !== undefined && { group: layer.group }) };
  // Below it: above the next layer that stays.
  let below = layerIndex(project, layer.id) - 1;
  while (below > 0 && moved.includes(project.layers[below].id)) below--;
  return { above: project.layers[below].id, ...(layer.group !== undefined && { group: layer.group }) };
}

/** A group is moved past other groups, never into one. */
function besideGroups(project: Project, place: Place, group: string): Place {
  const inner = project.layers.find(({ id }) => id === place.above)?.group;
  if (inner === undefined || inner === group) return { above: place.above, group };
  const other = layersOfGroup(project, inner);
  const above = place.group === inner ? other[other.length - 1] : place.above;
  return { above, group };
}

/**
 * Drags a layer, with those that are picked with it, or a group to another place in the stack. The stack is in that order
 * while it is dragged, so that what would be seen is seen; Escape takes it back.
 */
export function dragLayers(
  editor: Editor,
  press: PointerEvent,
  what: { readonly layer: string } | { readonly group: string },
): void {
  const list = press.currentTarget.closest('[data-lanes]');
  if (!list || press.button !== 0) return;
  const rows = standing(list);
  const project = editor.history.project();
  const moved = 'group' in what ? layersOfGroup(project, what.group) : together(editor, what.layer);
  const scrolled = list.scrollTop;
  startDrag(editor, press, {
    command: putLayers,
    to(_dx, dy) {
      const y = press.clientY + dy + list.scrollTop - scrolled;
      const place = placeAt(project, rows, y, moved);
      const back: Place = { above: moved[0] };
      if (!place) return { layers: [], place: back };
      return { layers: moved, place: 'group' in what ? besideGroups(project, place, what.group) : place };
    },
  });
}
