import {
  type CompiledStack,
  compileStack,
  evaluateStack,
  type Layer,
  type Pose,
  type Project,
  restPose,
  withVariant,
} from '@evlay/core';
import { type Attribution, newAttribution } from '@evlay/core/evaluate';
import { readProject } from '@evlay/core/format';
import { globalMatrices } from '@evlay/core/rig';

/** What is turned of a layer while it plays, in place of what the stack or the variant says. */
export interface Turned {
  readonly weight?: number;
  readonly muted?: boolean;
}

/** One moment of a stack. The arrays are written anew by every call of `at`. */
export interface Moment {
  readonly frame: number;
  /**
   * Local values of all joints, in the order of `rig.joints`: translations and scales 3 numbers a joint, rotations 4 as
   * `(x, y, z, w)`, and a number for each face channel. Lengths are in units of the rig.
   */
  readonly pose: Pose;
  /** Global transforms, column-major 4×4 matrices, 16 numbers a joint. */
  readonly matrices: Float64Array;
  /** Whose pose each joint has, and what was added to it. */
  readonly attribution: Attribution;
}

/**
 * A stack that plays: its frames are evaluated as the application and the command line do, by the same core. Two players
 * of one file have nothing in common.
 */
export interface Player {
  /** The project as it came, before anything was turned. */
  readonly project: Project;
  /** The project as it plays now: the variant that is shown, with what was turned. */
  readonly playing: () => Project;
  readonly variants: readonly string[];
  readonly layers: readonly Layer[];
  /** Shows a variant, or the stack as it is. Throws where there is none of that name. */
  readonly setVariant: (name: string | undefined) => void;
  readonly variant: () => string | undefined;
  /** Turns a layer, by its id; without values it is again as the stack says. Throws where there is none. */
  readonly turn: (layer: string, values: Turned | undefined) => void;
  readonly turned: () => ReadonlyMap<string, Turned>;
  /** Evaluates a frame, which need not be whole. */
  readonly at: (frame: number) => Moment;
  /** The frame at a time of a playback that begins at the first frame of the range: `loop` goes round, otherwise the last one holds. */
  readonly frameAt: (seconds: number, loop?: boolean) => number;
}

/** Opens an `.evlay` project. Throws `FileError`, which says what, where and what was expected. */
export async function loadStack(bytes: Uint8Array, name = 'stack.evlay'): Promise<Player> {
  const { project } = await readProject(bytes, name);
  return playerOf(project);
}

/** A player of a project that was opened otherwise. */
export function playerOf(project: Project): Player {
  const turns = new Map<string, Turned>();
  let variant: string | undefined;
  let playing = project;
  let stack: CompiledStack | undefined;
  let moment: Moment | undefined;
  const change = () => {
    const shown = withVariant(project, variant);
    playing = {
      ...shown,
      layers: shown.layers.map((layer) => {
        const values = turns.get(layer.id);
        return values ? { ...layer, ...values } : layer;
      }),
    };
    // What was compiled of layers that are the same is used again.
    stack = compileStack(playing, stack);
  };
  const known = (id: string) => {
    if (!project.layers.some((layer) => layer.id === id)) throw new Error(`there is no layer ${id}`);
  };
  return {
    project,
    playing: () => playing,
    variants: project.variants.map(({ name }) => name),
    layers: project.layers,
    setVariant(name) {
      if (name !== undefined && !project.variants.some((one) => one.name === name))
        throw new Error(`there is no variant ${name}`);
      variant = name;
      change();
    },
    variant: () => variant,
    turn(layer, values) {
      known(layer);
      if (values) turns.set(layer, { ...turns.get(layer), ...values });
      else turns.delete(layer);
      change();
    },
    turned: () => turns,
    at(frame) {
      stack ??= compileStack(playing);
      const { rig } = playing;
      moment ??= {
        frame,
        pose: restPose(rig),
        matrices: new Float64Array(16 * rig.joints.length),
        attribution: newAttribution(playing.layers.length, rig),
      };
      const { pose, matrices, attribution } = moment;
      evaluateStack(stack, frame, pose, attribution);
      globalMatrices(rig, pose, matrices);
      moment = { frame, pose, matrices, attribution };
      return moment;
    },
    frameAt(seconds, loop = true) {
      const [first, last] = playing.range;
      const length = last - first;
      const frame = seconds * playing.fps;
      if (!loop || length <= 0) return Math.min(last, Math.max(first, first + frame));
      return first + (((frame % length) + length) % length);
    },
  };
}
