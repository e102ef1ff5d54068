import type { Project } from '@evlay/core';
import type { Wearer } from '@evlay/core/make';
import { rigOfCharacter } from '@evlay/core/rig';

/** A character as takes are fitted to it: its joints with the props, and the metres a unit of its lengths. */
export const wearerOf = ({ rig, scene, metresPerUnit }: Project, character: number): Wearer => ({
  rig: rigOfCharacter(rig, character),
  metresPerUnit: metresPerUnit * (scene.characters[character].stand?.scale ?? 1),
});
