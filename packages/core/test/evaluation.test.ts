import fc from 'fast-check';
import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { bake } from '../src/bake/index.js';
import { addLayer, keyPose, projectFromTake, setValue } from '../src/edit/index.js';
import { newAttribution, spanFactor } from '../src/evaluate/index.js';
import { readTake } from '../src/format/index.js';
import {
  type Curve,
  compileStack,
  evaluateStack,
  keyed,
  type Layer,
  layerCurves,
  newKey,
  newLayer,
  type Pose,
  type Project,
  playing,
  restPose,
  type Take,
} from '../src/index.js';
import { angleBetween } from '../src/math/index.js';
import { channelsOfPose, solveChannels } from '../src/solve/index.js';
import { emptyTrack } from '../src/take/index.js';
import { captureBytes, rigOf } from './capture.js';

const { take } = readTake('01_01.bvh', captureBytes());
const capture = projectFromTake(take);

function poseAt(project: Project, frame: number): Pose {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  return pose;
}

const on = (project: Project, ...layers: Partial<Layer>[]): Project => ({
  ...project,
  layers: [
    ...project.layers,
    ...layers.map((layer, i) => newLayer('X', 'additive', { id: `layer ${i}`, ...layer })),
  ],
});

const constant = (value: number): Curve => ({ keys: [newKey(0, value)] });

function expectSame(a: Pose, b: Pose, tolerance = 1e-9): void {
  for (let i = 0; i < a.translations.length; i++) {
    expect(Math.abs(a.translations[i] - b.translations[i])).toBeLessThan(tolerance * 100);
  }
  for (let i = 0; i < a.rotations.length; i += 4)
    expect(angleBetween(a.rotations, i, b.rotations, i)).toBeLessThan(tolerance);
}

describe('against three', () => {
  const rig = rigOf([
    ['root', -1, [0, 1, 0]],
    ['arm', 0, [1, 0, 0]],
  ]);
  const unit = fc
    .tuple(...([0, 1, 2] as const).map(() => fc.double({ min: -1.4, max: 1.4, noNaN: true })))
    .map(([x, y, z]) => new THREE.Quaternion().setFromEuler(new THREE.Euler(x, y, z)).toArray());
  const point = fc.tuple(...([0, 1, 2] as const).map(() => fc.double({ min: -5, max: 5, noNaN: true })));
  const samples = fc.array(fc.tuple(unit, point), { minLength: 3, maxLength: 3 });

  function takeOf(id: string, drawn: [number[], number[]][]): Take {
    return {
      id,
      name: id,
      rig,
      source: { id, file: `${id}.bvh`, bytes: new Uint8Array() },
      count: drawn.length,
      interval: 0.1,
      rotations: { joints: Int32Array.of(1), size: 4, values: Float64Array.from(drawn.flatMap(([q]) => q)) },
      translations: {
        joints: Int32Array.of(1),
        size: 3,
        values: Float64Array.from(drawn.flatMap(([, t]) => t)),
      },
      scales: { joints: new Int32Array(0), size: 3, values: new Float64Array(0) },
      faces: emptyTrack(1),
    };
  }

  function clipOf(drawn: [number[], number[]][]): THREE.AnimationClip {
    const times = drawn.map((_, k) => k * 0.1);
    return new THREE.AnimationClip('clip', -1, [
      new THREE.QuaternionKeyframeTrack(
        'arm.quaternion',
        times,
        drawn.flatMap(([q]) => q),
      ),
      new THREE.VectorKeyframeTrack(
        'arm.position',
        times,
        drawn.flatMap(([, t]) => t),
      ),
    ]);
  }

  function projectWith(base: Take, other: Take, layer: Partial<Layer>): Project {
    const project = projectFromTake(base);
    return on({ ...project, takes: [base, other] }, { ...layer, content: playing(other.id) });
  }

  const scene = () => {
    const root = new THREE.Object3D();
    const arm = new THREE.Object3D();
    arm.name = 'arm';
    root.add(arm);
    return { root, arm };
  };

  it('an additive take at full weight is AnimationUtils.makeClipAdditive on the base clip', () => {
    fc.assert(
      fc.property(samples, samples, fc.double({ min: 0, max: 0.2, noNaN: true }), (a, b, time) => {
        const pose = poseAt(projectWith(takeOf('a', a), takeOf('b', b), { mode: 'additive' }), time * 10);
        const { root, arm } = scene();
        const mixer = new THREE.AnimationMixer(root);
        for (const clip of [clipOf(a), THREE.AnimationUtils.makeClipAdditive(clipOf(b))]) {
          const action = mixer.clipAction(clip).setLoop(THREE.LoopOnce, 1).play();
          action.clampWhenFinished = true;
        }
        mixer.update(time);
        expect(angleBetween(pose.rotations, 4, arm.quaternion.toArray(), 0)).toBeLessThan(1e-5);
        for (const [axis, value] of arm.position.toArray().entries()) {
          expect(pose.translations[3 + axis]).toBeCloseTo(value, 4);
        }
      }),
    );
  });

  it('an override take at half is two clips that weigh the same', () => {
    fc.assert(
      fc.property(samples, samples, fc.double({ min: 0, max: 0.2, noNaN: true }), (a, b, time) => {
        const pose = poseAt(
          projectWith(takeOf('a', a), takeOf('b', b), { mode: 'override', weight: 0.5 }),
          time * 10,
        );
        const { root, arm } = scene();
        const mixer = new THREE.AnimationMixer(root);
        for (const clip of [clipOf(a), clipOf(b)]) {
          const action = mixer.clipAction(clip).setLoop(THREE.LoopOnce, 1).setEffectiveWeight(0.5).play();
          action.clampWhenFinished = true;
        }
        mixer.update(time);
        expect(angleBetween(pose.rotations, 4, arm.quaternion.toArray(), 0)).toBeLessThan(1e-5);
        for (const [axis, value] of arm.position.toArray().entries()) {
          expect(pose.translations[3 + axis]).toBeCloseTo(value, 4);
        }
      }),
    );
  });
});

describe('rules of the stack', () => {
  const bent: Partial<Layer> = {
    content: keyed({ Neck: { rx: constant(30), ry: constant(-20) }, Hips: { ty: constant(3) } }),
  };

  it.each([
    ['weighs 0', { weight: 0 }],
    ['is muted', { muted: true }],
    ['is outside its span', { span: { start: 60 } }],
    ['is masked out', { mask: { leftLeg: 1 } }],
    ['has joint factors of 0', { joints: { Neck: 0, Hips: 0 } }],
    ['has no keys', { content: keyed({ Neck: { rx: { keys: [] } } }) }],
  ] as [string, Partial<Layer>][])('a layer that %s leaves every joint exactly as it was', (_, off) => {
    for (const mode of ['additive', 'override'] as const) {
      const pose = poseAt(on(capture, { ...bent, mode, ...off }), 50);
      expect(pose).toEqual(poseAt(capture, 50));
    }
  });

  it('solo leaves the soloed layers and the base', () => {
    const other: Partial<Layer> = { content: keyed({ Head: { rz: constant(40) } }) };
    expectSame(poseAt(on(capture, { ...bent, solo: true }, other), 50), poseAt(on(capture, bent), 50), 1e-12);
    // A muted solo is no solo.
    expectSame(
      poseAt(on(capture, { ...bent, solo: true, muted: true }, other), 50),
      poseAt(on(capture, other), 50),
      1e-12,
    );
  });

  it('an override layer at 1 with the pose of the base gives the base, and at 1 its own values elsewhere', () => {
    const stack = compileStack(capture);
    const pose = poseAt(capture, 80);
    const channels = Object.fromEntries(
      take.rig.joints.map((joint, j) => {
        const { rx, ry, rz } = channelsOfPose(stack, j, pose);
        return [joint.name, { rx: constant(rx), ry: constant(ry), rz: constant(rz) }];
      }),
    );
    expectSame(poseAt(on(capture, { mode: 'override', content: keyed(channels) }), 80), pose, 1e-7);
    const held = poseAt(on(capture, { mode: 'override', content: keyed(channels) }), 700);
    for (let j = 0; j < take.rig.joints.length; j++) {
      expect(angleBetween(held.rotations, 4 * j, pose.rotations, 4 * j)).toBeLessThan(1e-7);
    }
  });

  it('half the weight of an additive layer is half of every number; two full turns stay two turns', () => {
    const twice = on(capture, {
      content: keyed({ Neck: { rx: constant(60), ry: constant(10) }, Hips: { ty: constant(4) } }),
      weight: 0.5,
    });
    const half = on(capture, {
      content: keyed({ Neck: { rx: constant(30), ry: constant(5) }, Hips: { ty: constant(2) } }),
    });
    expectSame(poseAt(twice, 33), poseAt(half, 33));
    const turns = on(capture, { content: keyed({ Neck: { ry: constant(720) } }), weight: 0.125 });
    expectSame(
      poseAt(turns, 33),
      poseAt(on(capture, { content: keyed({ Neck: { ry: constant(90) } }) }), 33),
    );
  });

  it('an override rotation with one keyed axis keeps the other angles of the pose below', () => {
    const stack = compileStack(capture);
    const j = take.rig.joints.findIndex((joint) => joint.name === 'RightArm');
    const below = channelsOfPose(stack, j, poseAt(capture, 400));
    const posed = channelsOfPose(
      stack,
      j,
      poseAt(on(capture, { mode: 'override', content: keyed({ RightArm: { ry: constant(12) } }) }), 400),
    );
    expect(posed.ry).toBeCloseTo(12, 6);
    expect(posed.rx).toBeCloseTo(below.rx, 6);
    expect(posed.rz).toBeCloseTo(below.rz, 6);
  });

  it('scale multiplies by powers of the weight, held at a millionth', () => {
    const scaled = poseAt(
      on(capture, { content: keyed({ Head: { sx: constant(4), sy: constant(-3) } }), weight: 0.5 }),
      5,
    );
    const j = take.rig.joints.findIndex((joint) => joint.name === 'Head');
    expect(scaled.scales[3 * j]).toBeCloseTo(2, 12);
    expect(scaled.scales[3 * j + 1]).toBeCloseTo(1e-3, 12);
    expect(scaled.scales[3 * j + 2]).toBe(1);
  });

  it('the order of layers on unrelated joints does not matter', () => {
    const a: Partial<Layer> = { content: keyed({ Head: { rx: constant(20) } }) };
    const b: Partial<Layer> = {
      mode: 'override',
      content: keyed({ LeftArm: { rx: constant(-60) } }),
      weight: 0.7,
    };
    expectSame(poseAt(on(capture, a, b), 120), poseAt(on(capture, b, a), 120), 1e-12);
  });

  it('fades follow 3u² - 2u³ and the straight line, and multiply', () => {
    const span = { start: 10, end: 50, fadeIn: 20, fadeOut: 10 };
    // Worked by hand: u = 1/4 gives 3/16 - 2/64 = 0.15625.
    expect(spanFactor(span, 15)).toBeCloseTo(0.15625, 12);
    expect(spanFactor({ ...span, shape: 'linear' }, 15)).toBeCloseTo(0.25, 12);
    expect(spanFactor(span, 30)).toBe(1);
    expect(spanFactor(span, 9.99)).toBe(0);
    expect(spanFactor({ start: 0, end: 10, fadeIn: 10, fadeOut: 10, shape: 'linear' }, 4)).toBeCloseTo(
      0.24,
      12,
    );
  });
});

describe('shares and changes', () => {
  it('shares sum to 1 on every joint, and changes are the angles that were added', () => {
    const weight = fc.double({ min: 0, max: 1, noNaN: true });
    fc.assert(
      fc.property(weight, weight, weight, (a, b, c) => {
        const project = on(
          capture,
          {
            mode: 'override',
            weight: a,
            content: keyed({ RightArm: { rx: constant(10) }, Head: { tx: constant(1) } }),
          },
          { mode: 'additive', weight: b, content: keyed({ RightArm: { ry: constant(40) } }) },
          {
            mode: 'override',
            weight: 1,
            mask: { rightArm: c },
            content: keyed({ RightArm: { rz: constant(5) } }),
          },
        );
        const n = project.rig.joints.length;
        const shown = newAttribution(4, project.rig);
        evaluateStack(compileStack(project), 10, restPose(project.rig), shown);
        for (let j = 0; j < n; j++) {
          const sum = [0, 1, 2, 3, 4].reduce((total, row) => total + shown.shares[row * n + j], 0);
          expect(sum).toBeCloseTo(1, 12);
        }
        const arm = project.rig.joints.findIndex((joint) => joint.name === 'RightArm');
        const head = project.rig.joints.findIndex((joint) => joint.name === 'Head');
        expect(shown.shares[4 * n + arm]).toBeCloseTo(c, 12);
        expect(shown.shares[2 * n + arm]).toBeCloseTo(a * (1 - c), 12);
        expect(shown.shares[1 * n + arm]).toBeCloseTo((1 - a) * (1 - c), 12);
        expect(shown.shares[2 * n + head]).toBe(0);
        expect(shown.turns[2 * n + arm] * (180 / Math.PI)).toBeCloseTo(40 * b, 9);
      }),
    );
  });

  it('measuring does not change the pose', () => {
    const project = on(capture, {
      mode: 'override',
      weight: 0.3,
      content: keyed({ RightArm: { rx: constant(10) } }),
    });
    const measured = restPose(project.rig);
    evaluateStack(compileStack(project), 10, measured, newAttribution(2, project.rig));
    expect(measured).toEqual(poseAt(project, 10));
  });
});

describe('posing', () => {
  it('what is seen follows the hand, whatever lies above and however little the layer counts', () => {
    // An override layer reaches half a turn from what is below: the weights let it reach what is asked here.
    const small = fc.double({ min: 0.3, max: 1, noNaN: true });
    const turn = fc.double({ min: -10, max: 10, noNaN: true });
    fc.assert(
      fc.property(
        fc.constantFrom('additive' as const, 'override' as const),
        small,
        fc.double({ min: 0, max: 0.5, noNaN: true }),
        fc.tuple(turn, turn, turn),
        fc.constantFrom('joint' as const, 'world' as const, 'character' as const),
        fc.boolean(),
        (mode, weight, above, [x, y, z], axes, moved) => {
          // Half as fast, from frame 20 on, and at frame 60 on the second turn of a loop that travels.
          const loop: Partial<Layer> = {
            time: { offset: 20, speed: 0.5, loop: 'travel', cycle: [-30, 10] },
            placement: { pivot: [1, 0, 2], tx: 3, ty: 0, tz: -1, rx: 0, ry: 70, rz: 5 },
            content: keyed({
              Hips: { tz: { keys: [newKey(-30, 0), newKey(10, 4)] } },
              LowerBack: { rx: constant(12) },
            }),
          };
          const project = on(
            capture,
            { mode, weight, axes, ...(moved && loop) },
            {
              mode: 'additive',
              content: keyed({ RightArm: { rx: constant(25) }, Hips: { ty: constant(2) } }),
            },
            {
              mode: 'override',
              weight: above,
              content: keyed({ RightArm: { ry: constant(5) }, Hips: { tx: constant(1) } }),
            },
          );
          const stack = compileStack(project);
          const seen = poseAt(project, 60);
          for (const name of ['RightArm', 'Hips']) {
            const j = project.rig.joints.findIndex((joint) => joint.name === name);
            const q = new THREE.Quaternion().fromArray(seen.rotations, 4 * j);
            q.multiply(new THREE.Quaternion().setFromEuler(new THREE.Euler(x / 90, y / 90, z / 90)));
            const rotation = q.toArray();
            const translation = [...seen.translations.subarray(3 * j, 3 * j + 3)].map(
              (v, axis) => v + [x, y, z][axis],
            );
            const values = solveChannels(stack, 60, 1, j, { rotation, translation })!;
            const shown = poseAt(keyPose(project, 'layer 0', 60, { [name]: values }), 60);
            expect(angleBetween(shown.rotations, 4 * j, rotation, 0)).toBeLessThan(1e-6);
            for (let axis = 0; axis < 3; axis++)
              expect(shown.translations[3 * j + axis]).toBeCloseTo(translation[axis], 6);
          }
        },
      ),
      { numRuns: 150 },
    );
  });

  it('is refused below a weight of 0.05 and under a layer that covers everything', () => {
    const j = take.rig.joints.findIndex((joint) => joint.name === 'RightArm');
    const solve = (project: Project) =>
      solveChannels(compileStack(project), 0, 1, j, { rotation: [0.6, 0, 0, 0.8] });
    expect(solve(on(capture, { weight: 0.04 }))).toBeUndefined();
    const covered = {
      mode: 'override' as const,
      content: keyed({ RightArm: { rx: constant(0), ry: constant(0), rz: constant(0) } }),
    };
    expect(solve(on(capture, {}, covered))).toBeUndefined();
  });
});

describe('compiling and baking', () => {
  it('compiles again only the layer that an edit changed', () => {
    const project = addLayer(capture, {
      mode: 'override',
      above: capture.layers[0].id,
      joints: [],
      frame: 0,
    }).project;
    const before = compileStack(project);
    const edited = setValue(project, { kind: 'weight', layer: project.layers[1].id }, 0, 0.5);
    const after = compileStack(edited, before);
    expect(after.layers[0]).toBe(before.layers[0]);
    expect(after.layers[1]).not.toBe(before.layers[1]);
    expect(layerCurves(edited.layers[1]).length).toBeGreaterThan(90);
  });

  it('samples a range at any rate, and stops when told', async () => {
    const half = await bake(capture, { range: [10, 21], fps: capture.fps / 2 });
    expect(half.count).toBe(6);
    const pose = poseAt(capture, 14);
    expect([...half.rotations.values.subarray(2 * 124, 2 * 124 + 124)]).toEqual([...pose.rotations]);
    const signal = { aborted: false };
    const stopped = bake(capture, {
      signal,
      onProgress: (done) => {
        signal.aborted = done > 0.3;
      },
    });
    await expect(stopped).rejects.toThrow('cancelled');
  });
});
