import type { Units } from '../ui/number-text.js';

/** Frames may be typed in seconds. */
export const frameUnits = (fps: number): Units => ({ f: 1, s: fps });

/** Lengths may be typed in metres and parts of them, whatever the unit of the rig. */
export const lengthUnits = (metresPerUnit: number): Units => ({
  m: 1 / metresPerUnit,
  cm: 0.01 / metresPerUnit,
  mm: 0.001 / metresPerUnit,
});

export const ANGLE_UNITS: Units = { '°': 1, deg: 1 };
