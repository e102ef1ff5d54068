import { channelsOf, layerById, type Project } from '@evlay/core';
import type { Editor } from '../editor/editor.js';
import type { SessionState } from '../editor/session.js';

/** What is looked at to see that a step is done. */
export interface Moment {
  readonly project: Project;
  readonly session: SessionState;
  /** The screen that is open: `layers`, `takes` or `bake`. */
  readonly screen: string;
}

/** A step of a piece of work: what to do, what is lit on the screen for it, and how it is seen that it is done. */
export interface TryStep {
  readonly text: string;
  /** A selector of what is to be used. */
  readonly lights: string;
  readonly done: (now: Moment, then: Moment) => boolean;
}

/** A short piece of work on the demo. */
export interface TryPiece {
  readonly name: string;
  readonly steps: readonly TryStep[];
}

const VIEW = '[aria-label="The character at the playhead"]';
const LIT_LANE = '[data-lanes]';
const litOf = ({ project, session }: Moment) => layerById(project, session.lit);
const keysOf = (moment: Moment): number => {
  const layer = litOf(moment);
  return layer ? Object.keys(channelsOf(layer)).length : 0;
};

export const PIECES: readonly TryPiece[] = [
  {
    name: 'Pose the arm',
    steps: [
      {
        text: 'Add an additive layer: what you pose on it is added to the walk below.',
        lights: 'button[aria-label="Add additive layer"]',
        done: (now, then) => now.project.layers.length > then.project.layers.length,
      },
      {
        text: 'Click one of Wick’s hands.',
        lights: VIEW,
        done: ({ project, session }) => session.picked.some((j) => /Hand|Arm$/.test(project.parts[j] ?? '')),
      },
      {
        text: 'Drag the handles: the pose that you see is keyed on the new layer.',
        lights: VIEW,
        done: (now) => keysOf(now) > 0,
      },
    ],
  },
  {
    name: 'Weigh it',
    steps: [
      {
        text: 'Drag the filled shape in the bright lane down: the layer counts less.',
        lights: LIT_LANE,
        done: (now, then) => litOf(now)?.weight !== litOf(then)?.weight,
      },
      {
        text: 'Press on a part of the body map and drag it up or down: the layer is weighed there alone.',
        lights: '[aria-label="Body map"]',
        done: (now, then) => litOf(now)?.mask !== litOf(then)?.mask,
      },
    ],
  },
  {
    name: 'See who drives what',
    steps: [
      {
        text: 'Click his head or another joint: the corner says which layers drive it.',
        lights: VIEW,
        done: (now, then) => now.session.picked.length > 0 && now.session.picked !== then.session.picked,
      },
      {
        text: 'Press Space to play, and watch the cells in the lanes.',
        lights: '[aria-label="Play"]',
        done: ({ session }) => session.playing,
      },
      {
        text: 'Press the square in a lane to play that layer alone; once more brings all back.',
        lights: LIT_LANE,
        done: ({ session }) => session.alone !== undefined,
      },
    ],
  },
  {
    name: 'Bake it',
    steps: [
      {
        text: 'Open Bake.',
        lights: 'a[href$="/bake"]',
        done: ({ screen }) => screen === 'bake',
      },
      {
        text: 'Bake to GLB: the motion comes onto Wick’s own file.',
        lights: 'button[data-bake]',
        done: ({ session }) => session.baking !== undefined,
      },
    ],
  },
];

export const momentOf = ({ history, session }: Editor, path: string): Moment => ({
  project: history.project(),
  session: session.getState(),
  screen: path.endsWith('/bake') ? 'bake' : path.endsWith('/takes') ? 'takes' : 'layers',
});
