import type { KeyPick } from '@evlay/core';

/** What is lit and picked. */
export interface Selection {
  /** The layer that receives keys. */
  readonly lit: string;
  /** The character that is worked with, by its index in the scene: of it are map, takes and parts. */
  readonly character: number;
  /** Layers that are picked, the lit one among them; none where it is alone. */
  readonly layers: readonly string[];
  /** Indices of the picked joints; the last one has the handles in the view. */
  readonly picked: readonly number[];
  /** Names of the face channels that are picked; they are let go where joints are picked. */
  readonly faces: readonly string[];
  /** Parts picked on the body map. */
  readonly parts: readonly string[];
  /** Keys that are picked. */
  readonly keys: readonly KeyPick[];
  /** Whether the keys of a limb on one frame are picked together. */
  readonly limbLinked: boolean;
  /** Id of the take that is chosen on the screen Takes. */
  readonly take: string | undefined;
}

export const newSelection = (lit: string): Selection => ({
  lit,
  character: 0,
  layers: [],
  picked: [],
  faces: [],
  parts: [],
  keys: [],
  limbLinked: true,
  take: undefined,
});
