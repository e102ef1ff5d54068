/** For joints of a character the joint of a capture whose turns each follows, by name. Joints that follow none rest. */
export type Mapping = Readonly<Record<string, string>>;

/** The axis of a capture that points up. */
export const UP_AXES = ['x', 'y', 'z'] as const;
export type UpAxis = (typeof UP_AXES)[number];

/** A cycle of samples that is closed over its last `over` ones; with `travel` the root keeps its way. */
export interface Closing {
  readonly from: number;
  readonly to: number;
  readonly over: number;
  readonly travel?: boolean;
}

/** How a take is made of another one, in the order of the steps. A step that is missing changes nothing. */
export interface Making {
  /** Id of the take that it is made of, which stays as it is. */
  readonly from: string;
  /** The axis that points up there; what is made stands on Y. */
  readonly up?: UpAxis;
  /** Multiplies all lengths. */
  readonly scale?: number;
  /** First and last sample that are kept, both included. */
  readonly trim?: readonly [number, number];
  /** Fits it to the character's rig. */
  readonly mapping?: Mapping;
  /** For face channels of the character the channel of that take which each follows, where it is not the one of its name; '' for none. */
  readonly faces?: Mapping;
  /** Where it is fitted to a rig with a root bone: the hips go the whole way, and the root bone stays as it rests. */
  readonly travels?: 'hips';
  /** Where it is fitted: hands that are near one another or the body keep their distances, scaled. */
  readonly hands?: boolean;
  /** Samples a second. */
  readonly rate?: number;
  /** Takes noise out of stretches: of each the first and last sample of the source, both included. */
  readonly smooth?: readonly (readonly [number, number])[];
  /** Moves the root so that feet that stand do not slide. */
  readonly feet?: boolean;
  /** Closes a loop, over samples of what the steps before have made. */
  readonly close?: Closing;
}
