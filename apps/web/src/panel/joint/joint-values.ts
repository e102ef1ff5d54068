import type { Channel } from '@evlay/core';
import type { Units } from '../../ui/number-text.js';

/** How a channel is shown: its unit, and how much of the rig's own unit that is. */
export interface Shape {
  readonly unit: string;
  readonly factor: number;
  readonly step: number;
  readonly decimals: number;
  readonly units: Units;
}

/** How a channel is shown, lengths in centimetres. */
export function shapeOf(channel: Channel, metresPerUnit: number): Shape {
  if (channel[0] === 'r') return { unit: '°', factor: 1, step: 0.25, decimals: 1, units: { '°': 1, deg: 1 } };
  if (channel === 'm') return { unit: '', factor: 1, step: 0.005, decimals: 3, units: { '%': 0.01 } };
  if (channel[0] === 's') return { unit: '×', factor: 1, step: 0.005, decimals: 3, units: { '%': 0.01 } };
  const factor = 0.01 / metresPerUnit;
  return { unit: 'cm', factor, step: 0.1, decimals: 1, units: { cm: 1, m: 100, mm: 0.1 } };
}
