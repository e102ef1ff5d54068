import type { SavedView } from '@evlay/core';

/** From where the view looks, and where to, in the rig's unit. */
type Viewpoint = Pick<SavedView, 'from' | 'at'>;

let look: (() => Viewpoint) | undefined;

/** The camera says from where it looks, while there is one. */
export const setViewpoint = (viewpoint: (() => Viewpoint) | undefined): void => {
  look = viewpoint;
};

export const viewpoint = (): Viewpoint | undefined => look?.();
