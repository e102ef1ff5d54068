import { compileStack, evaluateStack, layerById, type Project, restPose } from '@evlay/core';
import { offItsPlace, standOf } from '@evlay/core/check';
import { findLimbs, globalMatrices, jointIndex, partNames } from '@evlay/core/rig';
import { validateBytes } from 'gltf-validator';
import { beforeAll, describe, expect, it } from 'vitest';
import { figureGlb } from '../src/glb.js';
import { SOLIDS } from '../src/skerry/body.js';
import { gullFlight } from '../src/skerry/gull-flight.js';
import { PLACES, SKERRY } from '../src/skerry/skeleton.js';

/** Heights of a joint over the root, frame by frame. */
function heights(project: Project, joint: string): number[] {
  const stack = compileStack(project);
  const pose = restPose(SKERRY);
  const matrices = new Float64Array(16 * SKERRY.joints.length);
  const at = 16 * jointIndex(SKERRY, joint) + 13;
  return Array.from({ length: project.range[1] + 1 }, (_, frame) => {
    evaluateStack(stack, frame, pose);
    globalMatrices(SKERRY, pose, matrices);
    return matrices[at] - matrices[13];
  });
}

/** The project with layers weighed as said; those that are not named are muted. */
const dialled = (project: Project, weights: Readonly<Record<string, number>>): Project => ({
  ...project,
  layers: project.layers.map((layer) =>
    layer.id === 'base' ? layer : { ...layer, weight: weights[layer.id] ?? 0 },
  ),
});

/** Beats a second: how often a height rises through its mean. */
function beats(heights: readonly number[], fps: number): number {
  const mean = heights.reduce((sum, y) => sum + y, 0) / heights.length;
  const rises = heights.filter((y, k) => k > 0 && heights[k - 1] < mean && y >= mean).length;
  return (rises * fps) / heights.length;
}

const reach = (values: readonly number[]) => Math.max(...values) - Math.min(...values);

describe('the gull', () => {
  let project: Project;
  let bytes: Uint8Array;
  beforeAll(async () => {
    bytes = await figureGlb(
      'Skerry',
      SKERRY,
      PLACES.map(({ at }) => at),
      SOLIDS,
    );
    project = gullFlight(bytes);
  }, 60_000);

  it('is a file without an error, with wings and a tail that are parts and limbs of their own', async () => {
    const { issues } = await validateBytes(bytes);
    expect(issues.numErrors).toBe(0);
    expect(partNames(project.parts)).toEqual(
      expect.arrayContaining(['leftWing', 'rightWing', 'tail', 'leftLeg', 'rightFoot', 'head', 'face']),
    );
    expect(findLimbs(SKERRY).map(({ name }) => name)).toEqual(
      expect.arrayContaining(['leftWing', 'rightWing', 'leftLeg', 'rightLeg', 'tail']),
    );
  });

  it('beats her wings at the rate of the layer that is dialled, and half as far at half its weight', () => {
    const slow = heights(dialled(project, { 'slow-flap': 1 }), 'LeftWingTip');
    const fast = heights(dialled(project, { 'fast-flap': 1 }), 'LeftWingTip');
    const none = heights(dialled(project, {}), 'LeftWingTip');
    // Fifteen and nine frames a beat at 30 a second.
    expect(beats(slow, 30)).toBeCloseTo(2, 0);
    expect(beats(fast, 30)).toBeCloseTo(10 / 3, 0);
    expect(reach(none)).toBeLessThan(0.25 * reach(slow));
    const half = heights(dialled(project, { 'slow-flap': 0.5 }), 'LeftWingTip');
    expect(reach(half) / reach(slow)).toBeGreaterThan(0.4);
    expect(reach(half) / reach(slow)).toBeLessThan(0.65);
  });

  it('leans into the curve with level eyes, and only while the bank counts', () => {
    const banked = dialled(project, { bank: 1 });
    const [left, right] = ['LeftWingTip', 'RightWingTip'].map((tip) => heights(banked, tip));
    const [level, other] = ['LeftWingTip', 'RightWingTip'].map((tip) => heights(dialled(project, {}), tip));
    expect(left[100] - right[100]).toBeLessThan(-0.3);
    expect(Math.abs(level[100] - other[100])).toBeLessThan(0.15);
    const own = heights(project, 'LeftWingTip');
    const without = heights(
      { ...project, layers: project.layers.filter(({ id }) => id !== 'bank') },
      'LeftWingTip',
    );
    expect(own[70]).toBeCloseTo(without[70], 12);
    expect(own[100]).toBeLessThan(without[100] - 0.1);
    expect(layerById(project, 'bank')?.mode).toBe('additive');
  });

  it('may fly: she is not said to float, and would be under the floor', () => {
    const stand = standOf(project);
    expect(stand.under).toBeLessThan(-0.5);
    expect(offItsPlace(project, stand).floor).toBe(false);
    expect(offItsPlace(project, { ...stand, under: 0.5 }).floor).toBe(true);
    const walker = { ...project, parts: project.parts.map((part) => part.replace('Wing', 'Arm')) };
    expect(offItsPlace(walker, stand).floor).toBe(true);
  });
});
