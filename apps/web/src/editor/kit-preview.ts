import type { Project } from '@evlay/core';
import { type KitPut, putKitOn } from '@evlay/core/edit';
import type { KitWork } from './session.js';

type Putting = Extract<KitWork, { doing: 'put' }>;

const known = new WeakMap<Putting, { readonly project: Project; readonly put: KitPut }>();

/** What a project becomes where a kit is put on it, worked out once for a project and how the kit is put. */
export function kitPut(project: Project, work: Putting): KitPut {
  const before = known.get(work);
  if (before?.project === project) return before.put;
  const { above, fits } = work;
  const kit = { ...work.kit, events: work.events ?? work.kit.events };
  // It may be gone by an undo since the work was begun.
  const character = project.scene.characters[work.character] ? work.character : 0;
  const put = putKitOn(project, kit, { above, fits }, character);
  known.set(work, { project, put });
  return put;
}
