/** What is graded by its amount: kinds, and joints that are bent backwards, of which less is worse. */
export const GRADED = ['slide', 'floor', 'range', 'backwards', 'stretch', 'pop', 'through', 'loop'] as const;
export type Graded = (typeof GRADED)[number];

/** From which amount on a finding is a note, a warning, a fault. */
export type FindingLimits = {
  readonly [K in Graded]: readonly [note: number, warn: number, fault: number];
};

/**
 * The usual limits. There is no standard for them: they are common practice of people who look over motion for games and
 * film, in cm, degrees and m/s². Of a loop they are degrees, or cm.
 */
export const FINDING_LIMITS: FindingLimits = {
  slide: [1, 2, 5],
  floor: [0.6, 2, 5],
  range: [25, 50, 90],
  backwards: [3, 10, 25],
  stretch: [0.2, 1, 4],
  pop: [45, 80, 200],
  through: [1.5, 3, 6],
  loop: [1, 3, 10],
};
