/** How a layer joins what is below it: it adds a change, or replaces. */
export const MODES = ['additive', 'override'] as const;
export type Mode = (typeof MODES)[number];

/** Largest weight that a mode takes. */
export const maxWeight = (mode: Mode): number => (mode === 'additive' ? 2 : 1);
