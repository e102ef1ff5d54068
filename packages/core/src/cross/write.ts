import { newKey, type Scalar } from '../curve/curve.js';
import { contactsOf, holding } from '../layer/content.js';
import type { HeldContacts } from '../layer/held-contacts.js';
import { freeColor, freeName, insertLayer } from '../layer/insert.js';
import { type Layer, newLayer, type Placement } from '../layer/layer.js';
import { layerIndex, type Project } from '../layer/project.js';
import { PLAIN_TIME } from '../layer/time.js';
import { DEGREES } from '../math/euler.js';
import { partNames } from '../rig/parts.js';
import type { Crossing } from './crossing.js';

/**
 * Lets an upper layer take over from what is below it at a crossing: shifted in time, placed on the floor, and with the
 * weight of every part keyed from 0 to 1 around the frame at which its region changes over. Feet that are to be held are held
 * by a layer with contacts above it; one that an earlier crossing of the same layer brought is replaced.
 */
export function crossOver(project: Project, upper: string, crossing: Crossing): Project {
  const { turn, x, z } = crossing.alignment;
  const crossed = (layer: Layer): Layer => {
    const mask: Record<string, Scalar> = {};
    for (const part of partNames(project.parts)) {
      const change = crossing.changes.find(({ parts }) => parts.includes(part));
      if (!change) continue;
      const { frame, fade } = change;
      mask[part] = { keys: [newKey(frame - fade / 2, 0), newKey(frame + fade / 2, 1)] };
    }
    const placement: Placement = {
      pivot: [0, 0, 0],
      tx: x,
      ty: 0,
      tz: z,
      rx: 0,
      ry: turn * DEGREES,
      rz: 0,
    };
    return {
      ...layer,
      muted: false,
      weight: 1,
      span: undefined,
      joints: undefined,
      mask,
      placement,
      time: { ...PLAIN_TIME, ...layer.time, offset: crossing.frame - crossing.other },
    };
  };
  const over: Project = {
    ...project,
    layers: project.layers.map((layer) => (layer.id === upper ? crossed(layer) : layer)),
  };
  return holdFeet(over, upper, crossing.held);
}

/** Puts a layer that holds feet above the upper performance, in place of the one that is there. */
function holdFeet(project: Project, upper: string, held: HeldContacts | undefined): Project {
  const index = layerIndex(project, upper);
  const name = `Feet of ${project.layers[index].name}`;
  const above: Layer | undefined = project.layers[index + 1];
  const before = above && contactsOf(above) && above.name === name ? above : undefined;
  if (!held)
    return before ? { ...project, layers: project.layers.filter((layer) => layer !== before) } : project;
  if (before)
    return {
      ...project,
      layers: project.layers.map((layer) =>
        layer === before ? { ...layer, muted: false, weight: 1, content: holding(held) } : layer,
      ),
    };
  const added = newLayer(freeName(project, name, true), 'override', {
    color: freeColor(project),
    content: holding(held),
  });
  return insertLayer(project, added, index + 1);
}
