import type { SavedView } from '@evlay/core';

/** From where and where to a view looks, in the rig's unit. */
export type SavedLook = Pick<SavedView, 'from' | 'at'>;

/** From where the second view looks: a place that stays, or a camera of the scene. */
export type Shot = SavedLook & { readonly camera?: string };

/** With what the stack as it is seen is compared. */
export type Before =
  | { readonly kind: 'base' }
  /** The stack as it was when the project was opened. */
  | { readonly kind: 'opened' }
  /** A variant; without a name the layers as they are. */
  | { readonly kind: 'variant'; readonly name: string | undefined }
  /** So many steps of undo ago. */
  | { readonly kind: 'step'; readonly back: number };

/** Poses that are shown through, beside the one that is seen. */
export interface Ghosts {
  readonly before: boolean;
  /** What lies below the lit layer. */
  readonly below: boolean;
  /** The lit layer alone over the rest pose. */
  readonly layer: boolean;
  /** Each of the picked layers alone, in its own colour, where it alone puts the character. */
  readonly picked: boolean;
  /** Poses so many frames before and behind this one; 0 for none. */
  readonly around: number;
}

/** How what is seen is compared with something else. */
export interface Compare {
  /** Whether the choices are shown. */
  readonly open: boolean;
  readonly before: Before;
  readonly ghosts: Ghosts;
  /** How far from the left the view is divided, from 0 to 1: before on the left, now on the right. */
  readonly split: number | undefined;
  /** From where a second view looks, which stays where it is. */
  readonly shot: Shot | undefined;
  /** Whether that is as large as the first: each has a half. */
  readonly halves: boolean;
}

export const NO_COMPARE: Compare = {
  open: false,
  before: { kind: 'base' },
  ghosts: { before: false, below: false, layer: false, picked: false, around: 0 },
  split: undefined,
  shot: undefined,
  halves: false,
};
