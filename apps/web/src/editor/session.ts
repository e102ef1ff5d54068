import type { CurveAddress, KeyPick, SavedView } from '@evlay/core';
import type { Causes, Finding, Headroom } from '@evlay/core/check';
import type { CopiedKeys, TouchUp, Trial } from '@evlay/core/edit';
import type { Job } from '@evlay/core/job';
import { createStore, type StoreApi } from 'zustand/vanilla';
import { type Compare, NO_COMPARE } from './compare-choices.js';

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

/** In whose axes joints are turned or moved by handles. */
export const HANDLE_AXES = ['joint', 'parent', 'world', 'view'] as const;
export type HandleAxes = (typeof HANDLE_AXES)[number];

/** How several picked joints turn: each about itself, all about one pivot, or sharing one turn along their chain. */
export const TOGETHER = ['each', 'pivot', 'share'] as const;
export type Together = (typeof TOGETHER)[number];

/** From where the view is to look; a new object for every time that it is asked for. */
export interface ViewWanted {
  readonly from: 'front' | 'side' | 'top' | Pick<SavedView, 'from' | 'at'>;
}

/** A video to look at beside the character: a file of this machine, which is only shown and kept nowhere. */
export interface ReferenceVideo {
  readonly name: string;
  readonly url: string;
  /** The frame of the project at which it starts. */
  readonly offset: number;
  /** Which seconds of it are shown; to its end where undefined. */
  readonly from: number;
  readonly to: number | undefined;
}

/** How a pose that is set becomes a touch-up: frames before and after, and how many neighbours take part. */
export interface TouchUpReach {
  readonly before: number;
  readonly after: number;
  readonly neighbours: number;
}

/** Numbers of what is done with the timing of motion: what they were last. */
export interface TimingNumbers {
  /** Of an overlap: whether joints follow down their chain, and how much larger the values of each are. */
  readonly downTheChain: boolean;
  readonly growth: number;
  readonly noise: {
    readonly angle: number;
    readonly centimetres: number;
    readonly frequency: number;
    readonly seed: number;
    readonly everyFrame: boolean;
  };
  /** How a chain follows: frames of lag a joint, swings a second, damping (1: without swinging), how much it hangs. */
  readonly follow: {
    readonly lag: number;
    readonly stiffness: number;
    readonly damping: number;
    readonly hang: number;
    readonly everyFrame: boolean;
  };
  /** Frames by which mirrored motion comes later. */
  readonly shift: number;
  /** Frames over which a loop is closed. */
  readonly stretch: number;
  /** How far a curve may pass from what it was when keys are taken out: degrees, centimetres, hundredths. */
  readonly tolerance: number;
  /** Over how many joints, or centimetres, borders between parts are softened. */
  readonly border: { readonly joints: number } | { readonly centimetres: number };
  /** Frames over which a layer comes to picked keys and goes from them. */
  readonly fades: { readonly before: number; readonly after: number };
}

const TIMING: TimingNumbers = {
  downTheChain: false,
  growth: 1,
  noise: { angle: 2, centimetres: 0, frequency: 1, seed: 1, everyFrame: false },
  follow: { lag: 1, stiffness: 2.5, damping: 0.7, hang: 0, everyFrame: false },
  shift: 0,
  stretch: 8,
  tolerance: 0.5,
  border: { joints: 0 },
  fades: { before: 6, after: 6 },
};

/** Which lanes are shown. */
export interface LayerFilter {
  readonly open: boolean;
  /** In the name of the layer, of its group, or of a part in which it counts. */
  readonly text: string;
  readonly only: 'all' | 'additive' | 'override' | 'keys here' | 'does nothing here';
}

/** What is not saved and not undone: selection, playing, how things are shown. */
export interface SessionState {
  /** The layer that receives keys. */
  readonly lit: string;
  /** Layers that are picked, the lit one among them; none where it is alone. */
  readonly layers: readonly string[];
  /** The variant that is shown, by its name, and whether mutes, weights and the range are changed in it or on the layers. */
  readonly variant: string | undefined;
  readonly variantTakes: 'variant' | 'layers';
  /** The layers between which crossings are looked for, while they are. */
  readonly crossing: { readonly lower: string; readonly upper: string } | undefined;
  /** The run of layers that is looked at to be merged, by the ids of its ends. */
  readonly merging: { readonly from: string; readonly to: string } | undefined;
  /** Long work on the stack that is under way, and the bake that is. */
  readonly working: Job<unknown> | undefined;
  readonly baking: Job<unknown> | undefined;
  /** Groups of which only the head is shown. */
  readonly folded: readonly string[];
  /** Which lanes are shown: text that a name or a part has, and what else has to hold. */
  readonly find: LayerFilter;
  /** Indices of the picked joints; the last one has the handles in the view. */
  readonly picked: readonly number[];
  /** Parts picked on the body map. */
  readonly parts: readonly string[];
  /** Keys that are picked. */
  readonly keys: readonly KeyPick[];
  /** Whether the keys of a limb on one frame are picked together. */
  readonly limbLinked: boolean;
  readonly timing: TimingNumbers;
  /** How fast it plays, as part of the project's rate, and between which frames, where that is not the whole range. */
  readonly playSpeed: number;
  readonly playRange: readonly [number, number] | undefined;
  /** Whether curves are shown in place of the lanes. */
  readonly curves: boolean;
  /** Whether each curve is shown to its own scale; else all of one unit to one. */
  readonly ownScales: boolean;
  /** Curves that are not drawn, by {@link addressKey}. */
  readonly hiddenCurves: readonly string[];
  /** Whether the time axis goes along with the playhead. */
  readonly followsPlayhead: boolean;
  /** How many times the curves were asked to fit. */
  readonly fitted: number;
  /** Keys whose handles are dragged each by itself, by id. */
  readonly apart: readonly string[];
  /** Which tab of the panel is open. */
  readonly tab: 'layer' | 'joint' | 'poses' | 'findings';
  /** What was found in the motion, the gravest first; undefined until it was looked for. */
  readonly findings: readonly Finding[] | undefined;
  /** Why they could not be looked for, in words. */
  readonly unfound: string | undefined;
  /** The finding that is looked into, by its key, and what it comes from, when that is known. */
  readonly finding: { readonly key: string; readonly causes?: Causes } | undefined;
  /** Of which layer, or part of it, the headroom is shown, and how much that is, when it is known. */
  readonly headroom: { readonly layer: string; readonly part?: string; readonly room?: Headroom } | undefined;
  /** Whether the palette of all commands is open. */
  readonly palette: boolean;
  /** Where the weight stands that was copied. */
  readonly copiedWeight: CurveAddress | undefined;
  /** Keys that were copied. */
  readonly copied: readonly CopiedKeys[];
  /** The layer that is played alone, and over what; undefined where the whole stack is seen. */
  readonly alone: Alone | undefined;
  /** The additive layer that has just had its first key, of which it is asked whether it holds throughout. */
  readonly asked: string | undefined;
  /** Layers whose lanes are open, by id. */
  readonly open: readonly string[];
  /** Joints whose rows in an open lane show their channels: the layer's id and the joint's name. */
  readonly openJoints: readonly string[];
  readonly autoKey: boolean;
  /** A pose that is tried on a layer and not keyed. */
  readonly trial: Trial | undefined;
  readonly playing: boolean;
  readonly loop: boolean;
  readonly surface: 'skin' | 'bones' | 'both';
  /** Parts of the body that are not shown. */
  readonly hidden: readonly string[];
  readonly colours: boolean;
  readonly follow: boolean;
  /** Whether the paths of picked joints are shown, and whether a brush smooths them. */
  readonly trails: boolean;
  readonly brush: boolean;
  /** Whether handles turn or move. */
  readonly handle: 'turn' | 'move';
  /** In whose axes the handles turn, and in whose they move. */
  readonly turnAxes: HandleAxes;
  readonly moveAxes: HandleAxes;
  readonly together: Together;
  /** How much of a shared turn each joint takes, by index; 1 where nothing is said. */
  readonly shares: Readonly<Record<number, number>>;
  /** Whether the handles go in steps, of how many degrees and of how many metres. */
  readonly snap: boolean;
  readonly snapAngle: number;
  readonly snapLength: number;
  /** Whether what is done on one side is done mirrored on the other. */
  readonly symmetric: boolean;
  /** How a pose that is set fades away on both sides; undefined where it is an ordinary key. */
  readonly touchUp: TouchUpReach | undefined;
  /** The touch-up that was keyed last, which can be repeated. */
  readonly lastTouchUp: TouchUp | undefined;
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
  /** Whether frames have become so slow that less is drawn. */
  readonly slow: boolean;
  /** How what is seen is compared with something else, and a video beside it. */
  readonly compare: Compare;
  readonly reference: ReferenceVideo | undefined;
  /** From where the view was asked to look last. */
  readonly view: ViewWanted | undefined;
  /** How many times the view was asked to frame the character. */
  readonly framed: number;
}

export interface Session extends StoreApi<SessionState> {
  /** Lights a layer and lets go of what was picked on another one. Layers that are picked stay so if it is among them. */
  readonly light: (id: string) => void;
}

export function createSession(lit: string, looking: boolean): Session {
  const store = createStore<SessionState>(() => ({
    lit,
    layers: [],
    variant: undefined,
    variantTakes: 'variant',
    crossing: undefined,
    merging: undefined,
    working: undefined,
    baking: undefined,
    folded: [],
    find: { open: false, text: '', only: 'all' },
    picked: [],
    parts: [],
    keys: [],
    limbLinked: true,
    timing: TIMING,
    playSpeed: 1,
    playRange: undefined,
    curves: false,
    ownScales: false,
    hiddenCurves: [],
    followsPlayhead: false,
    fitted: 0,
    apart: [],
    tab: 'layer',
    findings: undefined,
    unfound: undefined,
    finding: undefined,
    headroom: undefined,
    palette: false,
    copiedWeight: undefined,
    copied: [],
    alone: undefined,
    asked: undefined,
    open: [],
    openJoints: [],
    autoKey: true,
    trial: undefined,
    playing: false,
    loop: true,
    surface: 'skin',
    hidden: [],
    colours: true,
    follow: true,
    trails: false,
    brush: false,
    handle: 'turn',
    turnAxes: 'joint',
    moveAxes: 'world',
    together: 'each',
    shares: {},
    snap: false,
    snapAngle: 15,
    snapLength: 0.05,
    symmetric: false,
    touchUp: undefined,
    lastTouchUp: undefined,
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
    slow: false,
    compare: NO_COMPARE,
    reference: undefined,
    view: undefined,
    framed: 0,
  }));
  const light = (id: string) => {
    if (store.getState().lit !== id)
      store.setState(({ layers }) => ({
        lit: id,
        layers: layers.includes(id) ? layers : [],
        keys: [],
        trial: undefined,
        asked: undefined,
      }));
  };
  return { ...store, light };
}
