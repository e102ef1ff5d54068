import { type Channels, keyed, playing } from '../../layer/content.js';
import { newLayer } from '../../layer/layer.js';
import { baseOf, NOTHING_KEPT, type Project, projectRate } from '../../layer/project.js';
import { type Figure, sceneOf } from '../../layer/scene.js';
import { findParts } from '../../rig/parts.js';
import { rigHeight } from '../../rig/pose.js';
import { guessMetresPerUnit } from '../../rig/unit.js';
import { type Take, takeDuration } from '../../take/take.js';

/** A project whose base plays a take on the take's own skeleton, frame by sample. */
export function projectFromTake(take: Take): Project {
  const fps = projectRate(1 / take.interval);
  const base = newLayer('Base', 'override', { content: playing(take.id) });
  return {
    name: take.name,
    fps,
    range: [0, Math.max(0, Math.round(takeDuration(take) * fps))],
    metresPerUnit: guessMetresPerUnit(take.rig),
    scene: sceneOf(take.rig),
    rig: take.rig,
    parts: findParts(take.rig),
    takes: [take],
    mappings: [],
    ...NOTHING_KEPT,
    layers: [base],
  };
}

/** Keys that came with a performance: frames a second on which they stand, curves by joint, and the frame of the last. */
export interface KeyedPerformance {
  readonly fps: number;
  readonly channels: Channels;
  readonly last: number;
}

/** A new project whose base holds keys in place of the take that they are the samples of, which stays. */
export const withKeyedBase = (project: Project, { fps, channels, last }: KeyedPerformance): Project => ({
  ...project,
  fps,
  range: [0, Math.max(1, Math.ceil(last - 1e-6))],
  layers: [{ ...baseOf(project), content: keyed(channels) }, ...project.layers.slice(1)],
});

/** Renames a project; an empty name changes nothing. */
export function renameProject(project: Project, name: string): Project {
  const trimmed = name.trim();
  return trimmed === '' || trimmed === project.name ? project : { ...project, name: trimmed };
}

/** Sets what plays and is baked, whole frames, in order. */
export function setRange(project: Project, first: number, last: number): Project {
  const range = [Math.min(first, last), Math.max(first, last)].map(Math.round) as [number, number];
  return range[0] === project.range[0] && range[1] === project.range[1] ? project : { ...project, range };
}

/** Frames a second of a character that brings no motion, and how many of them it starts with. */
const STILL_RATE = 30;
const STILL_FRAMES = 60;

/** Lengths of a glTF file are metres; a character so tall is meant in centimetres all the same. */
const TALLEST = 20;

/** What a file brings for a project: a character, and the animations that were in it. */
export interface CharacterAndTakes extends Pick<Project, 'name' | 'rig' | 'takes'> {
  readonly figure: Figure;
  /** Joints that its file names together. */
  readonly sets?: Project['sets'];
}

/** A project with a character whose base plays its first animation, or rests where it has none. */
export function projectFromCharacter({ name, rig, figure, takes, sets = [] }: CharacterAndTakes): Project {
  const [first] = takes;
  const fps = first ? projectRate(1 / first.interval) : STILL_RATE;
  return {
    name,
    fps,
    range: [0, first ? Math.max(1, Math.round(takeDuration(first) * fps)) : STILL_FRAMES],
    metresPerUnit: rigHeight(rig) > TALLEST ? 0.01 : 1,
    scene: sceneOf(rig, figure, name),
    rig,
    parts: findParts(rig),
    takes,
    mappings: [],
    ...NOTHING_KEPT,
    sets,
    layers: [newLayer('Base', 'override', first && { content: playing(first.id) })],
  };
}
