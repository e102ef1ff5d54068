import type { Project } from '@evlay/core';
import type { Causes, FindingKind, Headroom } from '@evlay/core/check';
import type { Crossing } from '@evlay/core/cross';
import type { Seam } from '@evlay/core/edit';
import type { ReferenceLook } from '@evlay/core/format';
import type { Fit, Kit, MotionEvent } from '@evlay/core/kit';
import type { Rig } from '@evlay/core/rig';
import { type Compare, NO_COMPARE } from '../compare-choices.js';
import type { FilmSettings } from './film.js';
import type { NotesOpen, ReviewSettings } from './notes.js';

/** A layer that is played without the others, over the base or over the rest pose. */
export interface Alone {
  readonly layer: string;
  readonly over: 'base' | 'rest';
}

/** A video or a picture to look at beside the character: a file of this machine, which this browser keeps beside the project. */
export interface Reference extends ReferenceLook {
  readonly id: string;
  readonly url: string;
  /** Bytes of the file, and whether it goes along in project files. */
  readonly size: number;
  readonly inFile: boolean;
}

/** Which lanes are shown. */
export interface LayerFilter {
  readonly open: boolean;
  /** In the name of the layer, of its group, or of a part in which it counts. */
  readonly text: string;
  readonly only: 'all' | 'additive' | 'override' | 'keys here' | 'does nothing here';
}

/** The layers between which crossings are looked for, by their ids, and the crossing that is looked at before it is taken. */
export interface WantedCrossing {
  readonly lower: string;
  readonly upper: string;
  readonly preview?: {
    readonly crossing: Crossing;
    /** What was seen before, to go back to. */
    readonly back: { readonly frame: number; readonly playing: boolean };
  };
}

/** A kit that is being made of layers, by their ids, or one that is looked at before it is put on the stack. `fits` are by layer. */
export type KitWork =
  | {
      readonly doing: 'make';
      readonly layers: readonly string[];
      /** The character whose body it is of, by its index in the scene. */
      readonly character: number;
      readonly name: string;
      readonly place: 'world' | 'root';
      readonly fits: Readonly<Record<string, Fit>>;
      /** Its events, where they were corrected by hand; else those that are found. */
      readonly events?: readonly MotionEvent[];
    }
  | {
      readonly doing: 'put';
      readonly kit: Kit;
      /** The layer that it comes above; the topmost where missing. */
      readonly above?: string;
      /** The character that it is put on. */
      readonly character: number;
      readonly fits: Readonly<Record<string, Fit>>;
      /** The events of the kit, where they were corrected by hand; else those that it has. */
      readonly events?: readonly MotionEvent[];
    };

/** Takes that were joined: what the project was before and is with them, and their seams, as long as it is not changed. */
export interface Joined {
  readonly before: Project;
  readonly after: Project;
  readonly takes: readonly string[];
  readonly seams: readonly Seam[];
}

/** How it is seen who drives the character. */
export const DRIVEN_BY = ['full', 'edges', 'off'] as const;

/** What is shown, and how. */
export interface Display {
  /** The variant that is shown, by its name, and whether mutes, weights and the range are changed in it or on the layers. */
  readonly variant: string | undefined;
  readonly variantTakes: 'variant' | 'layers';
  /** What crossings are looked for, while they are. */
  readonly crossing: WantedCrossing | undefined;
  /** The run of layers that is looked at to be merged, by the ids of its ends. */
  readonly merging: { readonly from: string; readonly to: string } | undefined;
  /** The takes that were joined last, while their seams are looked at. */
  readonly joined: Joined | undefined;
  /** The kit that is worked on. */
  readonly kit: KitWork | undefined;
  /** The notes, while they are open, and how a review file would be made, while its panel is. */
  readonly notes: NotesOpen | undefined;
  readonly review: ReviewSettings | undefined;
  /** How a film would be made, while its panel is open. */
  readonly film: FilmSettings | undefined;
  /** Whether the locker is open. */
  readonly locker: boolean;
  /** Groups of which only the head is shown. */
  readonly folded: readonly string[];
  /** Which lanes are shown: text that a name or a part has, and what else has to hold. */
  readonly find: LayerFilter;
  /** Whether curves are shown in place of the lanes. */
  readonly curves: boolean;
  /** Whether each curve is shown to its own scale; else all of one unit to one. */
  readonly ownScales: boolean;
  /** Whether the weights of the picked layers are shown together, of all where none are picked. */
  readonly weightsTogether: boolean;
  /** Curves that are not drawn, by {@link addressKey}. */
  readonly hiddenCurves: readonly string[];
  /** Whether the time axis goes along with the playhead. */
  readonly followsPlayhead: boolean;
  /** Which tab of the panel is open. */
  readonly tab: 'layer' | 'joint' | 'poses' | 'findings';
  /** The finding that is looked into, by its key, and what it comes from, when that is known. */
  readonly finding: { readonly key: string; readonly causes?: Causes } | undefined;
  /** Kinds of findings that are not shown, and whether what is found is marked on the time axis and on the character. */
  readonly hiddenFindings: readonly FindingKind[];
  readonly findingMarks: boolean;
  /** Of which layer, or part of it, the headroom is shown, and how much that is, when it is known. */
  readonly headroom: { readonly layer: string; readonly part?: string; readonly room?: Headroom } | undefined;
  /** Whether the palette of all commands is open. */
  readonly palette: boolean;
  /** The layer that is played alone, and over what; undefined where the whole stack is seen. */
  readonly alone: Alone | undefined;
  /** Layers whose lanes are open, by id. */
  readonly open: readonly string[];
  /** The layer whose name is typed in its lane, by id. */
  readonly naming: string | undefined;
  /** Joints whose rows in an open lane show their channels: the layer's id and the joint's name. */
  readonly openJoints: readonly string[];
  /** Whether the body map is folded to a strip: by the room that there is, or as it was set. */
  readonly mapFold: 'auto' | 'open' | 'folded';
  /** Whether the face channels are listed in the map's place. */
  readonly faceList: boolean;
  /** Pixels by which the column of names beside the lanes is wider than usual. */
  readonly wideNames: number;
  readonly surface: 'skin' | 'bones' | 'both';
  /** Parts of the body that are not shown. */
  readonly hidden: readonly string[];
  /** Whether the place where the project plays is shown around the character, and not the floor alone. */
  readonly surroundings: boolean;
  /** The character and the take of the base of which it was looked at where they stand; a keyed base has none. */
  readonly stands: { readonly character: Rig; readonly take: string | undefined } | undefined;
  /** Whether what drives the character is seen on it: in full colour, at its edges, or not. */
  readonly drivenBy: (typeof DRIVEN_BY)[number];
  readonly follow: boolean;
  /** Whether the paths of picked joints are shown, and whether a brush smooths them. */
  readonly trails: boolean;
  readonly brush: boolean;
  /** Whether dragging on a lane draws its weight. */
  readonly drawing: boolean;
  /** First and last frame that the lanes show; the whole range where undefined. */
  readonly window: readonly [number, number] | undefined;
  /** Whether that take is shown alone, in place of the stack. */
  readonly previewing: boolean;
  /** The camera of the scene that the view is, by its name. */
  readonly through: string | undefined;
  /** Whether that stays as the layers move it when the view is moved. */
  readonly cameraLocked: boolean;
  /** Width by height of the picture that it takes. */
  readonly filmRatio: number;
  /** How what is seen is compared with something else, and videos and pictures beside it. */
  readonly compare: Compare;
  readonly references: readonly Reference[];
}

export const newDisplay = (): Display => ({
  variant: undefined,
  variantTakes: 'variant',
  crossing: undefined,
  merging: undefined,
  joined: undefined,
  kit: undefined,
  notes: undefined,
  review: undefined,
  film: undefined,
  locker: false,
  folded: [],
  find: { open: false, text: '', only: 'all' },
  curves: false,
  ownScales: false,
  weightsTogether: false,
  hiddenCurves: [],
  followsPlayhead: false,
  tab: 'layer',
  finding: undefined,
  hiddenFindings: [],
  findingMarks: true,
  headroom: undefined,
  palette: false,
  alone: undefined,
  open: [],
  naming: undefined,
  openJoints: [],
  mapFold: 'auto',
  faceList: false,
  wideNames: 0,
  surface: 'skin',
  hidden: [],
  surroundings: true,
  stands: undefined,
  drivenBy: 'full',
  follow: true,
  trails: false,
  brush: false,
  drawing: false,
  window: undefined,
  previewing: false,
  through: undefined,
  cameraLocked: true,
  filmRatio: 16 / 9,
  compare: NO_COMPARE,
  references: [],
});
