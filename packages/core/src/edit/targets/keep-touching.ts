import { tidySpans } from '../../check/stances.js';
import { type Touch, touchesIn } from '../../check/touching.js';
import type { Steps } from '../../job/steps.js';
import { holding } from '../../layer/content.js';
import type { HeldLimb } from '../../layer/held-contacts.js';
import { freeColor, freeName, insertLayer } from '../../layer/insert.js';
import { newLayer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import { contactSpaceRefusal } from '../../layer/space-refusal.js';
import { emptyRecord } from '../../record.js';
import { limbsOf } from '../../rig/limbs.js';
import { standOn } from './stand-on.js';

/** A project with the layers that keep what touches, by their ids, and what that was. */
export interface TouchingKept {
  readonly project: Project;
  readonly layers: readonly string[];
  readonly touches: readonly Touch[];
}

/** Seconds over which a hand comes to where it stays. */
const FADE = 0.2;

/**
 * Adds layers at the top, one for each thing that is touched, that keep hands and feet where they stay on other characters and on
 * props, whatever the layers below do. Gives the layers and what was found; the same project where nothing is touched.
 */
export function* keepTouching(project: Project): Steps<TouchingKept> {
  const limbs = limbsOf(project.rig, project.limbs);
  const found = yield* touchesIn(project);
  const touches = found.filter(
    ({ limb, space }) => contactSpaceRefusal(project.rig, limbs, space, [limb]) === undefined,
  );
  let next = project;
  const layers: string[] = [];
  for (const space of new Set(touches.map((one) => one.space))) {
    const held = emptyRecord<HeldLimb>();
    for (const { limb, point, span } of touches.filter((one) => one.space === space)) {
      const had = held[limb] as HeldLimb | undefined;
      held[limb] = {
        points: had?.points ?? [{ joint: point, floor: 0 }],
        spans: tidySpans([...(had?.spans ?? []), span]),
      };
    }
    const layer = newLayer(freeName(next, `Stays on ${space}`, true), 'override', {
      color: freeColor(next),
      content: holding({ fade: Math.max(1, Math.round(FADE * project.fps)), hips: false, limbs: held }),
    });
    // How high each stands on it is measured there.
    next = standOn(insertLayer(next, layer, next.layers.length), layer.id, space);
    layers.push(layer.id);
  }
  return { project: next, layers, touches };
}
