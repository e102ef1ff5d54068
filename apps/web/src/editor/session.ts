import type { KeyPick } from '@evlay/core';
import type { CopiedKeys, Trial } from '@evlay/core/edit';
import { createStore, type StoreApi } from 'zustand/vanilla';

/** A layer that is played without the others, over the base or over the rest pose. */
export interface Alone {
  readonly layer: string;
  readonly over: 'base' | 'rest';
}

/** By how much a joint that is dragged is not seen where the hand puts it, in units of the rig. */
export interface Missed {
  readonly by: number;
  /** Whether its limb is too short; else the layer counts too little there or is covered from above. */
  readonly tooFar: boolean;
}

/** What is not saved and not undone: selection, playing, how things are shown. */
export interface SessionState {
  /** The layer that receives keys. */
  readonly lit: string;
  /** Indices of the picked joints; the last one has the handles in the view. */
  readonly picked: readonly number[];
  /** Parts picked on the body map. */
  readonly parts: readonly string[];
  /** Keys that are picked. */
  readonly keys: readonly KeyPick[];
  /** Keys that were copied. */
  readonly copied: readonly CopiedKeys[];
  /** The layer that is played alone, and over what; undefined where the whole stack is seen. */
  readonly alone: Alone | undefined;
  /** The additive layer that has just had its first key, of which it is asked whether it holds throughout. */
  readonly asked: string | undefined;
  /** Layers whose lanes are open, by id. */
  readonly open: readonly string[];
  readonly autoKey: boolean;
  /** A pose that is tried on a layer and not keyed. */
  readonly trial: Trial | undefined;
  readonly playing: boolean;
  readonly loop: boolean;
  readonly surface: 'skin' | 'bones';
  readonly colours: boolean;
  readonly follow: boolean;
  /** Whether handles turn or move. */
  readonly handle: 'turn' | 'move';
  /** Whether a hand, foot or head that is moved keeps its orientation; else it turns with its limb. */
  readonly endKeepsAngle: boolean;
  /** Whether feet stay where they are when the hips, or what is below them, move. */
  readonly feetStay: boolean;
  /** By how much the joint that is dragged is not where the hand puts it, in units of the rig, and why. */
  readonly missed: Missed | undefined;
  /** Whether they place the lit layer's whole performance, and not a joint. */
  readonly placing: boolean;
  /** Whether dragging on a lane draws its weight. */
  readonly drawing: boolean;
  /** First and last frame that the lanes show; the whole range where undefined. */
  readonly window: readonly [number, number] | undefined;
  /** Id of the take that is chosen on the screen Takes. */
  readonly take: string | undefined;
  /** Whether that take is shown alone, in place of the stack. */
  readonly previewing: boolean;
  /** Why the samples of a take could not be made, by the steps that ask for them. */
  readonly unmade: ReadonlyMap<string, string>;
  /** Whether the project can only be looked at, since another tab has it open. */
  readonly looking: boolean;
  /** How many times the view was asked to frame the character. */
  readonly framed: number;
}

export interface Session extends StoreApi<SessionState> {
  /** Lights a layer and lets go of what was picked on another one. */
  readonly light: (id: string) => void;
}

export function createSession(lit: string, looking: boolean): Session {
  const store = createStore<SessionState>(() => ({
    lit,
    picked: [],
    parts: [],
    keys: [],
    copied: [],
    alone: undefined,
    asked: undefined,
    open: [],
    autoKey: true,
    trial: undefined,
    playing: false,
    loop: true,
    surface: 'skin',
    colours: true,
    follow: true,
    handle: 'turn',
    endKeepsAngle: true,
    feetStay: true,
    missed: undefined,
    placing: false,
    drawing: false,
    window: undefined,
    take: undefined,
    previewing: false,
    unmade: new Map(),
    looking,
    framed: 0,
  }));
  const light = (id: string) => {
    if (store.getState().lit !== id)
      store.setState({ lit: id, keys: [], trial: undefined, asked: undefined });
  };
  return { ...store, light };
}
