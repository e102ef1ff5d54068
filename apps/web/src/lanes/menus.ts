import { layerById, type Project } from '@evlay/core';
import { charactersOfLayer } from '@evlay/core/edit';
import { pasteCopied } from '../commands/keys/keys.js';
import { keyValues } from '../commands/keys/values.js';
import { keepLayers, openKitMaking } from '../commands/kits/kits.js';
import { copyOnto } from '../commands/scene/copy-onto.js';
import { bringJointsOut, clearPicked, joinBelow } from '../commands/stack/contents.js';
import { groupPicked, letGroupGo } from '../commands/stack/groups.js';
import { letAllCount, limitToPicked } from '../commands/stack/layer-values.js';
import {
  duplicateLit,
  moveLitDown,
  moveLitUp,
  nameLit,
  removeLayer,
  toggleLock,
  toggleMute,
  toggleSolo,
} from '../commands/stack/layers.js';
import { mergeDown } from '../commands/stack/merging.js';
import { playAlone } from '../commands/view/view.js';
import { item, type MenuEntry } from '../controls/context-menu.js';
import { castOf } from '../editor/cast.js';
import type { Editor } from '../editor/editor.js';

/** The other characters on which a layer can be had too. */
function copiesOnto(project: Project, id: string): readonly MenuEntry[] {
  const own = charactersOfLayer(project, id);
  if (own.size === 0) return [];
  return project.scene.characters.flatMap((_, to) => {
    if (own.has(to)) return [];
    const { name } = castOf(project, to);
    return [
      item(copyOnto, { to, mirrored: false }, `Copy onto ${name}`),
      item(copyOnto, { to, mirrored: true }, `Copy onto ${name}, mirrored`),
    ];
  });
}

/** What can be done with a layer, which is lit. */
export function layerMenu({ session, history }: Editor, id: string): readonly MenuEntry[] {
  const layer = layerById(history.project(), id);
  if (!layer) return [];
  const alone = session.getState().alone?.layer === layer.id;
  return [
    item(
      playAlone,
      { layer: layer.id, rest: false },
      alone ? 'Play all layers again' : 'Play alone over the base',
    ),
    ...(alone ? [] : [item(playAlone, { layer: layer.id, rest: true }, 'Play alone over the rest pose')]),
    item(nameLit, undefined, 'Rename'),
    item(toggleMute, layer.id, layer.muted ? 'Unmute' : 'Mute'),
    item(toggleSolo, layer.id, layer.solo ? 'Let go of the solo' : 'Solo'),
    item(toggleLock, layer.id, layer.locked ? 'Unlock' : 'Lock'),
    item(keyValues, [{ kind: 'weight', layer: layer.id }], 'Key its weight'),
    item(pasteCopied, undefined),
    item(limitToPicked, layer.id),
    item(letAllCount, layer.id),
    item(moveLitUp, undefined),
    item(moveLitDown, undefined),
    item(groupPicked, undefined),
    item(letGroupGo, undefined),
    item(bringJointsOut, 'move' as const, 'Move the picked joints out into a new layer'),
    item(bringJointsOut, 'copy' as const, 'Copy the picked joints out into a new layer'),
    item(joinBelow, { anyway: false }),
    item(mergeDown, undefined),
    item(openKitMaking, undefined),
    item(keepLayers, undefined),
    item(clearPicked, undefined),
    item(duplicateLit, undefined),
    ...copiesOnto(history.project(), id),
    item(removeLayer, layer.id),
  ];
}
