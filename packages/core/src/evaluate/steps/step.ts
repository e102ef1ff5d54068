import type { ContactStep } from '../contacts/contact-step.js';
import type { ChannelStep } from './channel-step.js';
import type { TakeStep } from './take-step.js';
import type { TargetStep } from './target-step.js';

/**
 * One thing that a layer does to the pose. The content of a layer is compiled to a list of steps, which are taken one
 * after the other, each on the result of the one before.
 */
export type Step = TakeStep | ChannelStep | TargetStep | ContactStep;

/** The step of a layer that blends a take, if there is one. */
export const takeStepOf = (steps: readonly Step[]): TakeStep | undefined =>
  steps.find((step) => step.kind === 'take');

/** The step of a layer that blends keyed channels, if there is one. */
export const channelStepOf = (steps: readonly Step[]): ChannelStep | undefined =>
  steps.find((step) => step.kind === 'channels');

/** The step of a layer that brings joints to targets, if there is one. */
export const targetStepOf = (steps: readonly Step[]): TargetStep | undefined =>
  steps.find((step) => step.kind === 'targets');

/** The step of a layer that holds contacts, if there is one. */
export const contactStepOf = (steps: readonly Step[]): ContactStep | undefined =>
  steps.find((step) => step.kind === 'contacts');

/** Radians by which a quaternion in 32-bit floats may be off after it was blended once. */
const SINGLE_PRECISION = 5e-7;

/** Radians by which a step may be off in a joint's rotation: takes are blended in 32 bits where there is a kernel. */
export const stepError = (step: Step, kernel: boolean): number =>
  step.kind === 'take' && kernel ? SINGLE_PRECISION : 0;
