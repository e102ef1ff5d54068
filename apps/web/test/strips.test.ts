import {
  addressKey,
  channelsOf,
  type KeyPick,
  keyed,
  layerById,
  newKey,
  newLayer,
  type Project,
} from '@evlay/core';
import { curvesOf, framesOfPicked, movePicked } from '@evlay/core/edit';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { lampLighting } from '../../../packages/demo/src/wick/lamp-lighting.js';
import { wickPoses } from '../../../packages/demo/src/wick/poses.js';
import { WICK } from '../../../packages/demo/src/wick/skeleton.js';
import { perform } from '../src/commands/command.js';
import { setView } from '../src/commands/view/view.js';
import { createEditor } from '../src/editor/editor.js';
import { keysWithin, type PlacedStrip } from '../src/lanes/keys/box.js';
import {
  framesOfStrip,
  keysOfStrip,
  pickedFrames,
  type Strip,
  timeOfStrip,
} from '../src/lanes/keys/strip.js';
import { pictureOf } from '../src/poses/pose-picture.js';
import { frameToX, type TimeScale } from '../src/timeline/time-scale.js';

const demo = await lampLighting(new Uint8Array());
const ARM = 'lantern-arm';
const arm = layerById(demo, ARM)!;
const of = (joint: string): Strip => ({ kind: 'joint', layer: ARM, joint });
const jointsIn = (picks: readonly KeyPick[]) =>
  [...new Set(picks.map(({ address }) => ('joint' in address ? address.joint : '')))].sort();

describe('strips of keys', () => {
  it('have the frames of what stands on them: a layer, a joint, one curve, a weight', () => {
    const weight: Strip = { kind: 'curve', layer: ARM, address: { kind: 'weight', layer: ARM } };
    const channel: Strip = {
      kind: 'curve',
      layer: ARM,
      address: { kind: 'channel', layer: ARM, joint: 'RightForearm', channel: 'ry' },
    };
    expect(framesOfStrip(arm, of('RightForearm'))).toEqual([16, 40, 58, 78, 104]);
    expect(framesOfStrip(arm, channel)).toEqual([16, 40, 58, 78, 104]);
    expect(framesOfStrip(arm, weight)).toEqual([14, 38, 82, 108]);
    expect(framesOfStrip(arm, { kind: 'layer', layer: ARM })).toEqual(
      expect.arrayContaining([16, 27, 38, 40, 49, 58]),
    );
    expect(framesOfStrip(arm, { kind: 'placement', layer: ARM })).toEqual([]);
  });

  it('keys of a limb on one frame are picked together, and apart where the link is opened', () => {
    const on = (linked: boolean) => keysOfStrip(demo, of('RightForearm'), (frame) => frame === 16, linked);
    expect(jointsIn(on(true))).toEqual(['RightForearm', 'RightHand', 'RightUpperArm']);
    expect(jointsIn(on(false))).toEqual(['RightForearm']);
    // A finger is in no limb: it is picked alone.
    const finger = keysOfStrip(demo, of('RightIndex1'), () => true, true);
    expect(jointsIn(finger)).toEqual(['RightIndex1']);
    expect([...pickedFrames(arm, of('RightHand'), on(true))]).toEqual([16]);
    expect([...pickedFrames(arm, of('RightHand'), on(false))]).toEqual([]);
    expect([...pickedFrames(arm, { kind: 'layer', layer: ARM }, on(false))]).toEqual([16]);
    expect([
      ...pickedFrames(layerById(demo, 'weary-lean')!, { kind: 'layer', layer: 'weary-lean' }, on(true)),
    ]).toEqual([]);
  });

  it('a box picks what lies in it, in all strips that it touches, also where a layer plays in its own time', () => {
    const shifted: Project = {
      ...demo,
      layers: demo.layers.map((layer) =>
        layer.id === ARM ? { ...layer, time: { offset: 20, speed: 2, loop: 'none' as const } } : layer,
      ),
    };
    const editor = createEditor(shifted);
    perform(editor, setView, { limbLinked: false });
    const scale: TimeScale = { from: 0, to: 100, width: 500 };
    const rows = ['RightUpperArm', 'RightForearm', 'RightHand'];
    const placed = rows.map((joint, k): PlacedStrip => {
      const place = { left: 40, right: 540, top: 24 * k, bottom: 24 * k + 23 };
      return { strip: of(joint), element: { getBoundingClientRect: () => place } as unknown as Element };
    });
    const layer = layerById(shifted, ARM)!;
    fc.assert(
      fc.property(fc.nat(100), fc.nat(100), fc.nat(71), fc.nat(71), (a, b, y0, y1) => {
        const [from, to] = [Math.min(a, b), Math.max(a, b)];
        const box = {
          left: 40 + frameToX(scale, from),
          right: 40 + frameToX(scale, to),
          top: Math.min(y0, y1),
          bottom: Math.max(y0, y1),
        };
        const found = new Map(
          keysWithin(editor, placed, scale, box).map((pick) => [addressKey(pick.address), pick.keys]),
        );
        for (const [k, joint] of rows.entries())
          for (const [channel, curve] of Object.entries(channelsOf(layer)[joint])) {
            const touched = box.top <= 24 * k + 23 && box.bottom >= 24 * k;
            // The project's frame of an own frame, at twice the speed from frame 20 on.
            const inside = curve!.keys.filter((key) => {
              const frame = 20 + key.frame / 2;
              return touched && frame >= from - 1e-9 && frame <= to + 1e-9;
            });
            const address = { kind: 'channel', layer: ARM, joint, channel: channel as 'rx' } as const;
            expect([...(found.get(addressKey(address)) ?? [])].sort()).toEqual(
              inside.map(({ id }) => id).sort(),
            );
          }
      }),
      { numRuns: 60 },
    );
    expect(timeOfStrip(shifted, layer, of('RightHand')).speed).toBe(2);
  });

  it('keys that are moved pass others and take over those that they land on, as a plain list of frames does', () => {
    const frames = fc.uniqueArray(fc.nat(40), { minLength: 1, maxLength: 8 });
    fc.assert(
      fc.property(
        frames,
        fc.array(fc.boolean(), { minLength: 8, maxLength: 8 }),
        fc.integer({ min: -45, max: 45 }),
        (at, chosen, by) => {
          const sorted = [...at].sort((a, b) => a - b);
          const layer = newLayer('A', 'additive', {
            id: 'a',
            content: keyed({ Head: { rx: { keys: sorted.map((frame) => newKey(frame, frame)) } } }),
          });
          const project: Project = { ...demo, layers: [demo.layers[0], layer] };
          const { keys } = channelsOf(layer).Head.rx!;
          const picked = keys.filter((_, k) => chosen[k]);
          const picks: KeyPick[] = [
            {
              address: { kind: 'channel', layer: 'a', joint: 'Head', channel: 'rx' },
              keys: picked.map(({ id }) => id),
            },
          ];
          const before = curvesOf(project, picks);
          // Twice from the same start, as a drag does: what the first move took over comes back.
          const dragged = movePicked(movePicked(project, picks, { by: by + 3, before }), picks, {
            by,
            before,
          });
          const model = new Map(
            keys.filter((key) => !picked.includes(key)).map(({ frame, value }) => [frame, value]),
          );
          for (const { frame, value } of picked) model.set(frame + by, value);
          const moved = channelsOf(layerById(dragged, 'a')!).Head.rx!.keys.map(({ frame, value }) => [
            frame,
            value,
          ]);
          expect(moved).toEqual([...model].sort(([a], [b]) => a - b));
          if (picked.length > 0)
            expect(framesOfPicked(dragged, picks)).toEqual([picked[0].frame + by, picked.at(-1)!.frame + by]);
        },
      ),
      { numRuns: 100 },
    );
  });
});

describe('pictures of saved poses', () => {
  const picture = (name: string) => {
    const pose = wickPoses().find((one) => one.name === name)!;
    return pictureOf(WICK, demo.parts, pose)!;
  };
  const extent = (name: string) => {
    const points = picture(name).bones.flatMap(({ from, to }) => [from, to]);
    const [xs, ys] = [0, 1].map((axis) => points.map((point) => point[axis]));
    return { wide: Math.max(...xs) - Math.min(...xs), tall: Math.max(...ys) - Math.min(...ys) };
  };

  it('lie in their frames, hands with their fingers alone, heads with where they look', () => {
    for (const pose of wickPoses()) {
      const { bones, box } = pictureOf(WICK, demo.parts, pose)!;
      if (pose.kind === 'hand') expect(bones, pose.name).toHaveLength(15);
      else expect(bones.length, pose.name).toBeGreaterThan(20);
      if (pose.kind === 'part') continue;
      for (const [x, y] of bones.flatMap(({ from, to }) => [from, to])) {
        expect(x).toBeGreaterThanOrEqual(box[0] - 0.1 * box[2]);
        expect(x).toBeLessThanOrEqual(box[0] + 1.1 * box[2]);
        expect(y).toBeGreaterThanOrEqual(box[1] - 0.1 * box[3]);
        expect(y).toBeLessThanOrEqual(box[1] + 1.1 * box[3]);
      }
    }
    // Screens count downward: a nose that points up ends above where it begins.
    const rise = (name: string) => picture(name).nose!.from[1] - picture(name).nose!.to[1];
    expect(rise('Looking up')).toBeGreaterThan(0.01);
    expect(rise('Looking down')).toBeLessThan(-0.01);
  });

  it('tell poses apart: a fist is shorter than an open hand, one who crouches than one who stands, and reaching is tall', () => {
    expect(extent('Fist').tall).toBeLessThan(0.75 * extent('Open hand').tall);
    expect(extent('Crouching').tall).toBeLessThan(0.85 * extent('Standing at ease').tall);
    expect(extent('Reaching up').tall).toBeGreaterThan(1.1 * extent('Standing at ease').tall);
    const dog = { ...wickPoses()[0], joints: [{ name: 'Wing', turn: [0, 0, 0, 1] as const }] };
    expect(pictureOf(WICK, demo.parts, dog)).toBeUndefined();
  });
});
