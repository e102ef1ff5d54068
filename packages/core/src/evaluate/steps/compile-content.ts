import { byContent, type Content, type ContentTable } from '../../layer/content.js';
import type { Layer } from '../../layer/layer.js';
import type { Project } from '../../layer/project.js';
import type { OwnTime } from '../../layer/time.js';
import { compiledLimbs } from '../../rig/compiled-limbs.js';
import { characterIndex } from '../../rig/rig.js';
import type { Take } from '../../take/take.js';
import { contactStep, jointsHeld } from '../contacts/contact-step.js';
import { channelStep, knotsByFace, knotsByJoint, NO_KNOTS } from './channel-step.js';
import { channelStepOf, type Step } from './step.js';
import { facesOfTake, takeStep } from './take-step.js';
import { jointsMoved, targetStep } from './target-step.js';

/** What a layer's content does to the joints of the rig, before weights say which of them it touches. */
export interface CompiledContent {
  /** Whether it brings values of its own for a joint. */
  brings(joint: number): boolean;
  /** Whether it moves or turns a joint by reaching for something. */
  moves(joint: number): boolean;
  /** Whether it turns a joint, in the one way or the other. */
  rotates(joint: number): boolean;
  /** Whether it brings a value of its own for a face channel. */
  face(face: number): boolean;
  /** The steps, with the values of the joints and face channels that the layer touches, ascending. */
  steps(touched: readonly number[], faces: readonly number[]): Step[];
}

/** What the content of a layer is compiled from. */
interface About {
  readonly layer: Layer;
  /** The take that it plays, where there is one. */
  readonly take: Take | undefined;
  readonly time: OwnTime;
  readonly project: Pick<Project, 'rig' | 'limbs' | 'fps'>;
  /** The steps of the same layer before an edit: curves that are the same are taken from there. */
  readonly before: readonly Step[];
}

/** Compiles the content of a layer. */
export const compileContent = (content: Content, about: About): CompiledContent =>
  byContent(COMPILED, content, about);

const never = (): boolean => false;

/** Content that does nothing, as a take that is not in the project. */
const IDLE: CompiledContent = { brings: never, moves: never, rotates: never, face: never, steps: () => [] };

const COMPILED: ContentTable<[About], CompiledContent> = {
  nothing: () => IDLE,

  take({ reference, character }, { take, time, project: { rig, fps } }) {
    const player = characterIndex(rig, character);
    if (!take || player < 0) return IDLE;
    const step = takeStep(reference, take, player, rig, time, fps);
    const rotates = (j: number) => step.rotation[j] >= 0;
    return {
      brings: (j) => rotates(j) || step.translation[j] >= 0 || step.scale[j] >= 0,
      moves: never,
      rotates,
      face: (f) => step.face[f] >= 0,
      steps(touched, faces) {
        const moves = (j: number) => step.translation[j] >= 0 || step.scale[j] >= 0;
        const moving = Int32Array.from(touched.flatMap((j, k) => (moves(j) ? k : [])));
        return [{ moving, faces: facesOfTake(step, faces), ...step }];
      },
    };
  },

  curves({ targets }, { layer, time, project: { rig, limbs }, before }) {
    const curves = knotsByJoint(layer, rig, time);
    const faceCurves = knotsByFace(layer, rig, time);
    const reach =
      targets.length > 0 ? targetStep(targets, layer.mode, rig, compiledLimbs(rig, limbs), time) : undefined;
    const turned = new Set(reach && jointsMoved(reach));
    return {
      brings: (j) => curves.has(j),
      moves: (j) => turned.has(j),
      rotates(j) {
        const own = curves.get(j);
        return turned.has(j) || (own !== undefined && (own[3] ?? own[4] ?? own[5]) !== undefined);
      },
      face: (f) => faceCurves.has(f),
      steps(touched, faces) {
        const slots = [
          ...touched.flatMap((j) => curves.get(j) ?? NO_KNOTS),
          ...faces.map((f) => faceCurves.get(f)),
        ];
        const steps: Step[] = [];
        if (slots.some((knots) => knots !== undefined))
          steps.push(channelStep(slots, curves, rig, touched, time, channelStepOf(before)));
        if (reach && reach.targets.length > 0) steps.push(reach);
        return steps;
      },
    };
  },

  contacts({ contacts }, { project: { rig, limbs, fps } }) {
    const step = contactStep(contacts, rig, compiledLimbs(rig, limbs), fps);
    const turned = new Set(jointsHeld(step));
    return {
      brings: never,
      moves: (j) => turned.has(j) || step.lowered.includes(j),
      rotates: (j) => turned.has(j),
      face: never,
      steps: () => (step.limbs.length > 0 ? [step] : []),
    };
  },
};
