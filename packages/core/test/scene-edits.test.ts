import { Document, NodeIO } from '@gltf-transform/core';
import fc from 'fast-check';
import { AnimationMixer, Euler, PerspectiveCamera, Quaternion, Vector3 } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { beforeAll, describe, expect, it } from 'vitest';
import { quayRun } from '../../demo/src/brindle/quay-run.js';
import { BRINDLE } from '../../demo/src/brindle/skeleton.js';
import { lampLighting } from '../../demo/src/wick/lamp-lighting.js';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { random } from '../bench/subject.js';
import { bakeBlock, planBake, planMerge, samplesOfCharacter } from '../src/bake/index.js';
import {
  addCameras,
  addCharacter,
  addPath,
  addProp,
  addTarget,
  changePath,
  charactersOfLayer,
  copyLayersOnto,
  copyOntoRefusal,
  keepTouching,
  kitCharacter,
  leanIntoBends,
  leanRefusal,
  makeKitOf,
  mergedRun,
  putKitOn,
  putMerged,
  removeCharacter,
  renameCharacter,
  setPlacementSpace,
  setTargetSpace,
  snapJoint,
  snapPlacement,
  standCharacter,
  standOn,
  withPointAfter,
} from '../src/edit/index.js';
import { joinGlb, splitGlb } from '../src/format/gltf/glb.js';
import { readCameras, readProject, writeGlb, writeProject } from '../src/format/index.js';
import {
  compileStack,
  evaluateStack,
  finished,
  holding,
  keyed,
  newKey,
  newLayer,
  newTarget,
  type Project,
  type Prop,
  playing,
  restPose,
  takeOf,
} from '../src/index.js';
import { angleBetween } from '../src/math/index.js';
import {
  characterOf,
  jointIndex,
  type Placed,
  placePose,
  rigHeight,
  rolesOf,
  topologyOf,
} from '../src/rig/index.js';

const figureOf = (rig: typeof WICK) => {
  const samples = bakeBlock(compileStack(alone(rig)), planBake(alone(rig), {}), 0, 1);
  return writeGlb(rig, samples, { name: 'rest', metresPerUnit: 1 });
};
const alone = (rig: typeof WICK): Project => ({
  ...wick,
  scene: { characters: [{ name: '', rig }], props: [] },
  rig,
  parts: rig.joints.map(() => 'other'),
  limbs: {},
  takes: [],
  layers: [newLayer('Base', 'override')],
});

let wick: Project;
let both: Project;

const crate = (values: Partial<Prop> = {}): Prop => ({
  name: 'Crate',
  shape: 'box',
  size: [0.4, 0.4, 0.4],
  at: [0.6, 0.2, 0.3],
  turn: [0, 30, 0],
  ...values,
});

const seen = (project: Project, frame: number): Placed => {
  const pose = restPose(project.rig);
  evaluateStack(compileStack(project), frame, pose);
  return placePose(project.rig, pose);
};
const placeOf = ({ rig, matrices }: Placed, name: string) => {
  const o = 16 * jointIndex(rig, name) + 12;
  return new Vector3(...matrices.subarray(o, o + 3));
};
const turnOf = ({ rig, orientations }: Placed, name: string) => {
  const o = 4 * jointIndex(rig, name);
  return new Quaternion(...orientations.subarray(o, o + 4));
};

/** Holds what is seen of some joints in two projects against each other: the largest distance, in heights. */
function apart(
  a: Project,
  b: Project,
  frames: readonly number[],
  name: (own: string) => string = (own) => own,
) {
  let most = 0;
  for (const frame of frames) {
    const [one, other] = [seen(a, frame), seen(b, frame)];
    for (const { name: own } of a.rig.joints) {
      if (jointIndex(b.rig, name(own)) < 0) continue;
      most = Math.max(most, placeOf(one, own).distanceTo(placeOf(other, name(own))));
    }
  }
  return most / rigHeight(WICK);
}

beforeAll(async () => {
  wick = await lampLighting(new Uint8Array());
  wick = { ...wick, scene: { ...wick.scene, characters: [{ name: 'Wick', rig: WICK }] } };
  const run = quayRun(new Uint8Array());
  const figures = [WICK, BRINDLE].map(figureOf);
  wick = {
    ...wick,
    scene: {
      ...wick.scene,
      characters: [{ name: 'Wick', rig: WICK, figure: { id: 'w', bytes: figures[0] } }],
    },
  };
  both = addCharacter(wick, {
    name: 'Brindle',
    rig: BRINDLE,
    figure: { id: 'b', bytes: figures[1] },
    takes: run.takes,
    metresPerUnit: 1,
  }).project;
});

const FRAMES = [0, 17, 40.5, 88];

describe('characters that come and go', () => {
  it('leave the others as they were, in whatever order they come, are renamed and go', () => {
    expect(apart(wick, both, FRAMES)).toBe(0);
    const twice = addCharacter(both, {
      name: 'Brindle',
      rig: BRINDLE,
      takes: [],
      metresPerUnit: 0.01,
    });
    expect(twice.project.scene.characters.map(({ name, stand }) => [name, stand?.scale])).toEqual([
      ['Wick', undefined],
      ['Brindle', 1],
      ['Brindle 2', 0.01],
    ]);
    const moved = standCharacter(twice.project, 1, { at: [2, 0, -1], heading: 120, scale: 0.8 });
    const renamed = renameCharacter(moved, 1, 'Dog');
    expect(apart(moved, renamed, FRAMES, (own) => own.replace(/^Brindle\//, 'Dog/'))).toBe(0);
    expect(renamed.parts.filter((part) => part.startsWith('Dog/')).length).toBe(BRINDLE.joints.length);
    const gone = removeCharacter(removeCharacter(renamed, 2), 1);
    expect(apart(gone, wick, FRAMES)).toBe(0);
    expect(gone.layers.map(({ name }) => name)).toEqual(wick.layers.map(({ name }) => name));
    expect(gone.parts).toEqual(wick.parts);
    // A name that would make two joints of one is not taken.
    expect(renameCharacter(moved, 2, 'Brindle')).toBe(moved);
    expect(removeCharacter(wick, 0)).toBe(wick);
  });

  it('take with them what others say of them', () => {
    const on = addTarget(
      addProp(both, crate()),
      { joint: 'LeftHand', space: 'Brindle/Head', frame: 10 },
      { above: both.layers[both.layers.length - 1].id },
    ).project;
    const placed = {
      ...on,
      layers: on.layers.map((layer, k) =>
        k === 0 ? setPlacementSpace(on, layer.id, 'Brindle/Hips').layers[0] : layer,
      ),
    };
    const gone = removeCharacter(placed, 1);
    // The name of a layer is its owner's own word.
    const said = JSON.stringify({ ...gone, layers: gone.layers.map((layer) => ({ ...layer, name: '' })) });
    expect(said).not.toContain('Brindle');
    expect(compileStack(gone).layers.length).toBe(gone.layers.length);
  });

  it('are of the layers that move them', () => {
    const [base, dog] = both.layers;
    expect([...charactersOfLayer(both, base.id)]).toEqual([0]);
    expect([...charactersOfLayer(both, dog.id)]).toEqual([1]);
    const shared = newLayer('Both', 'override', {
      content: keyed({
        Head: { rx: { keys: [newKey(0, 3)] } },
        'Brindle/Head': { rx: { keys: [newKey(0, 3)] } },
      }),
    });
    expect([...charactersOfLayer({ ...both, layers: [...both.layers, shared] }, shared.id)].sort()).toEqual([
      0, 1,
    ]);
  });

  it('are given layers of others by roles: the same turns in the world of both, mirrored on the other side, at their size', () => {
    const head: [string, number, number][] = [
      ['Head', 14, -9],
      ['LeftHand', 21, 8],
    ];
    const nod = newLayer('Nod', 'additive', {
      axes: 'world',
      content: keyed(
        Object.fromEntries([
          ...head.map(([name, rx, ry]) => [
            name,
            { rx: { keys: [newKey(0, 0), newKey(20, rx)] }, ry: { keys: [newKey(0, 0), newKey(20, ry)] } },
          ]),
          ['Crate', { tx: { keys: [newKey(0, 0), newKey(20, 5)] } }],
        ]),
        [newTarget('RightFoot', { at: { tx: 0.02, ty: 0.05, tz: 0 } })],
      ),
      mask: { head: 0.5, leftHand: 1 },
    });
    const project = addProp({ ...both, layers: [...both.layers, nod] }, crate());
    expect(copyOntoRefusal(project, [project.layers[0].id], 1)).toMatch(/plays a take/);
    expect(copyOntoRefusal(project, [project.layers[1].id], 1)).toMatch(/plays a take/);
    expect(copyOntoRefusal(project, [nod.id], 0)).toMatch(/another character/);
    // What the other has no part of leaves nothing behind, and is told.
    const fist = newLayer('Fist', 'additive', {
      content: keyed({ LeftIndex1: { rz: { keys: [newKey(0, 60)] } } }),
    });
    const none = copyLayersOnto({ ...project, layers: [...project.layers, fist] }, [fist.id], 1);
    expect([none.layers, none.project.layers.length]).toEqual([[], project.layers.length + 1]);
    expect(none.leftOut).toEqual([{ layer: 'Fist', what: 'joint', name: 'LeftIndex1' }]);
    for (const mirrored of [false, true]) {
      const { project: next, layers } = copyLayersOnto(project, [nod.id], 1, { mirrored });
      const copy = next.layers[next.layers.findIndex(({ id }) => id === nod.id) + 1];
      expect(layers).toEqual([copy.id]);
      expect([...charactersOfLayer(next, copy.id)]).toEqual([1]);
      // The first and the props are as they were; each joint of the other turns as that of its role did.
      const [before, after] = [seen(project, 20), seen(next, 20)];
      for (const { name } of [...WICK.joints, { name: 'Crate' }])
        expect(placeOf(before, name).distanceTo(placeOf(after, name)), name).toBe(0);
      const paw = characterOf(project.rig, 1).joints[
        rolesOf(BRINDLE).findIndex((role) => role?.role === (mirrored ? 'rightHand' : 'leftHand'))
      ].name;
      for (const [of, [source, rx, ry], weight] of [
        ['Head', head[0], 0.5],
        [paw, head[1], 1],
      ] as const) {
        const name = `Brindle/${of}`;
        const { order } = WICK.joints[jointIndex(WICK, source)];
        // A weight counts for the angles of a change.
        const [x, y] = [rx, mirrored ? -ry : ry].map((angle) => (weight * angle * Math.PI) / 180);
        const turn = new Quaternion().setFromEuler(new Euler(x, y, 0, order));
        const parent = BRINDLE.joints[jointIndex(BRINDLE, of)].parent;
        const above = `Brindle/${BRINDLE.joints[parent].name}`;
        // In the world: the turn after what was there, carried by what its parent has turned.
        const carried = turnOf(after, above).multiply(turnOf(before, above).invert());
        const wanted = turn.multiply(carried.multiply(turnOf(before, name)));
        expect(wanted.angleTo(turnOf(after, name)), name).toBeLessThan(1e-5);
      }
    }
  });

  it('are merged to every frame as a take each, and all of the stack too', async () => {
    const shared = newLayer('Both', 'additive', {
      content: keyed({
        Head: { rx: { keys: [newKey(0, 3), newKey(30, -14)] } },
        'Brindle/Head': { rx: { keys: [newKey(0, 3), newKey(20, 20)] } },
      }),
    });
    const one = newLayer('Hers', 'override', {
      content: keyed({ 'Brindle/Head': { rz: { keys: [newKey(0, 3), newKey(20, 20)] } } }),
    });
    const project: Project = {
      ...standCharacter(both, 1, { at: [1, 0, 2], heading: 70, scale: 1.3 }),
      range: [2, 40],
    };
    const stack = { ...project, layers: [...project.layers, shared, one] };
    const top = stack.layers.length - 1;
    for (const [from, to, takes] of [
      [top - 1, top, 2],
      [top, top, 1],
      [0, top, 2],
      [1, 1, 1],
    ]) {
      const plan = planMerge(stack, from, to);
      if (typeof plan === 'string') throw new Error(plan);
      const { merged } = await mergedRun(plan, {});
      const result = putMerged(stack, plan, merged);
      expect(result.layers.length).toBe(stack.layers.length - (to - from) - 1 + takes);
      expect(apart(stack, result, [2, 13, 40])).toBeLessThan(5e-6);
      const { project: again } = await readProject(writeProject(result), 'merged.evlay');
      expect(apart(result, again, [2, 13, 40])).toBeLessThan(1e-6);
    }
  });

  it('come back from a file with spaces, paths, cameras and contacts on a prop', async () => {
    const cart = addProp(addProp(both, crate()), crate({ name: 'Lens', camera: { fov: 41 } }));
    const along = addPath(cart, 'Crate', 5, { above: cart.layers[0].id });
    const turned = changePath(along.project, along.id, along.target, (path) => ({
      ...withPointAfter(path, 1),
      heading: true,
      closed: true,
    }));
    const paw = characterOf(cart.rig, 1).joints.find(({ name }) =>
      /Left.*Fore.*Paw|LeftForeFoot|LeftHand/.test(name),
    )!;
    const held = newLayer('Feet', 'override', {
      content: holding({
        fade: 4,
        hips: true,
        limbs: {
          'Brindle/leftForeLeg': {
            points: [{ joint: `Brindle/${paw.name}`, floor: 0 }],
            spans: [[3, 20]],
          },
        },
      }),
    });
    const all = standOn({ ...turned, layers: [...turned.layers, held] }, held.id, 'Crate');
    const project = setPlacementSpace(
      all,
      all.layers[1].id === along.id ? all.layers[2].id : all.layers[1].id,
      'Crate',
    );
    const { project: again, warnings } = await readProject(writeProject(project), 'both.evlay');
    expect(warnings).toEqual([]);
    expect(again.scene.characters.map(({ name, stand }) => [name, stand])).toEqual(
      project.scene.characters.map(({ name, stand }) => [name, stand]),
    );
    expect(again.scene.props.map(({ camera }) => camera)).toEqual([undefined, { fov: 41 }]);
    expect(again.parts).toEqual(project.parts);
    expect(apart(project, again, FRAMES)).toBeLessThan(1e-6);
  });
});

describe('what is tied to something that moves', () => {
  /** Both with a crate that goes round and turns, below all other layers but the base. */
  const riding = (): Project => {
    const cart = addProp(both, crate());
    const layer = newLayer('Round', 'override', {
      content: keyed({
        Crate: {
          tx: { keys: [newKey(0, 0), newKey(60, 1.5), newKey(120, -1)] },
          tz: { keys: [newKey(0, 0.3), newKey(50, -1), newKey(120, 2)] },
          ry: { keys: [newKey(0, 0), newKey(120, 400)] },
          rx: { keys: [newKey(0, 0), newKey(60, 9), newKey(120, 0)] },
        },
      }),
    });
    return { ...cart, layers: [cart.layers[0], layer, ...cart.layers.slice(1)] };
  };

  it('keeps what is seen where a performance or a target changes its space', () => {
    const project = riding();
    const whole = [0, 13, 40, 77, 120];
    const dog = project.layers[2].id;
    const on = setPlacementSpace(project, dog, 'Crate');
    expect(apart(project, on, whole)).toBeLessThan(2e-4);
    const back = setPlacementSpace(on, dog, undefined);
    expect(apart(project, back, whole)).toBeLessThan(4e-4);
    const target = addTarget(project, { joint: 'RightHand', frame: 30, whole: true }, { above: dog });
    const moved = setTargetSpace(target.project, target.id, target.target, 'Brindle/Head');
    expect(apart(target.project, moved, whole)).toBeLessThan(2e-4);
  });

  it('walks on a platform that turns as it walks on the floor, step for step', () => {
    const cart = riding();
    const walk = newLayer('Walk there', 'override', {
      content: playing(cart.takes[0].id),
      placement: { pivot: [0, 0, 0], space: 'Crate', tx: 0.2, ty: 0, tz: -0.1, rx: 0, ry: 25, rz: 0 },
    });
    const project = { ...cart, layers: [...cart.layers.slice(0, 3), walk] };
    const floor = {
      ...project,
      layers: [
        ...cart.layers.slice(0, 3),
        { ...walk, placement: { pivot: [0, 0, 0] as const, tx: 0.2, ty: 0, tz: -0.1, rx: 0, ry: 25, rz: 0 } },
      ],
    };
    for (const frame of [0, 11, 46.5, 90]) {
      const [there, here] = [seen(project, frame), seen(floor, frame)];
      const [o, S] = [placeOf(there, 'Crate'), turnOf(there, 'Crate')];
      for (const foot of ['LeftFoot', 'RightFoot', 'Head']) {
        const inCart = placeOf(there, foot).sub(o).applyQuaternion(S.clone().invert());
        expect(inCart.distanceTo(placeOf(here, foot)), `${foot} at ${frame}`).toBeLessThan(
          1e-5 * rigHeight(WICK),
        );
      }
    }
  });

  it('holds a handshake over sixty frames under drawn layers of both, and each alone is as in the scene', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 500 }), (seed) => {
        const next = random(seed);
        const second = addCharacter(wick, { name: 'Other', rig: WICK, takes: [], metresPerUnit: 1 }).project;
        const facing = standCharacter(second, 1, { at: [0, 0, 0.7], heading: 180 });
        const swings = (joints: readonly string[]) =>
          newLayer('Swing', 'additive', {
            content: keyed(
              Object.fromEntries(
                joints.map((joint) => [
                  joint,
                  {
                    rx: { keys: [0, 20, 40, 60].map((frame) => newKey(frame, 16 * (next() - 0.5))) },
                    rz: { keys: [5, 30, 55].map((frame) => newKey(frame, 16 * (next() - 0.5))) },
                  },
                ]),
              ),
            ),
          });
        const palm = { tx: 0, ty: 1.2, tz: 0.35 };
        const project: Project = {
          ...facing,
          range: [0, 60],
          layers: [
            newLayer('Base', 'override'),
            swings(['Spine', 'Chest', 'RightShoulder']),
            swings(['Other/Spine', 'Other/Chest', 'Other/RightShoulder']),
            newLayer('Out', 'override', {
              content: keyed({}, [newTarget('Other/RightHand', { at: palm })]),
            }),
            newLayer('Shake', 'override', {
              content: keyed({}, [newTarget('RightHand', { space: 'Other/RightHand' })]),
            }),
          ],
        };
        const stack = compileStack(project);
        const plan = planBake(project, {});
        const samples = bakeBlock(stack, plan, 0, plan.count);
        for (let frame = 0; frame <= 60; frame++) {
          const placed = seen(project, frame);
          expect(placeOf(placed, 'RightHand').distanceTo(placeOf(placed, 'Other/RightHand'))).toBeLessThan(
            0.01,
          );
        }
        const { from, to } = topologyOf(project.rig).spans[1];
        for (const k of [0, 1]) {
          const own = samplesOfCharacter(project.rig, k, samples).rotations;
          const first = k === 0 ? 0 : from;
          for (const s of [0, 30, 60])
            for (let j = 0; j < to - from; j++)
              expect(
                angleBetween(
                  own.values,
                  4 * (s * own.joints.length + j),
                  samples.rotations.values,
                  4 * (s * project.rig.joints.length + first + j),
                ),
              ).toBe(0);
        }
      }),
      { numRuns: 5, endOnFailure: true },
    );
  });

  it('are found in takes of two, within two frames, with noise, and kept to three millimetres under drawn layers; none are invented', async () => {
    for (const fps of [24, 30, 60]) {
      const k = fps / 30;
      const next = random(fps);
      const second = addCharacter(wick, { name: 'Other', rig: WICK, takes: [], metresPerUnit: 1 }).project;
      const facing = standCharacter(second, 1, { at: [0, 0, 0.7], heading: 180 });
      const swing = (joints: readonly string[], size: number, every: number) =>
        newLayer('Swing', 'additive', {
          content: keyed(
            Object.fromEntries(
              joints.map((joint) => [
                joint,
                {
                  rx: {
                    keys: Array.from({ length: 1 + Math.ceil((80 * k) / every) }, (_, f) =>
                      newKey(f * every, size * (next() - 0.5)),
                    ),
                  },
                },
              ]),
            ),
          ),
        });
      const [from, to] = [24 * k, 52 * k];
      const weight = {
        keys: [newKey(from - 12 * k, 0), newKey(from, 1), newKey(to, 1), newKey(to + 12 * k, 0)],
      };
      const palm = { tx: { keys: [newKey(0, 0.05), newKey(80 * k, -0.1)] }, ty: 1.2, tz: 0.35 };
      const acted: Project = {
        ...facing,
        fps,
        takes: [],
        range: [0, 80 * k],
        layers: [
          newLayer('Base', 'override'),
          // A hand that hangs beside the body, and comes for the time that the hands meet.
          swing(['Spine', 'Other/Spine'], 10, 20 * k),
          newLayer('Out', 'override', { content: keyed({}, [newTarget('Other/RightHand', { at: palm })]) }),
          newLayer('Shake', 'override', {
            weight,
            content: keyed({}, [newTarget('RightHand', { space: 'Other/RightHand' })]),
          }),
          // Noise of about a millimetre at the hands.
          swing(['RightUpperArm', 'Other/RightUpperArm'], 0.2, 1),
        ],
      };
      const plan = planMerge(acted, 0, acted.layers.length - 1);
      if (typeof plan === 'string') throw new Error(plan);
      const { merged } = await mergedRun(plan, {});
      const takes = putMerged(acted, plan, merged);
      expect(takes.layers.every((layer) => takeOf(layer))).toBe(true);
      const { project: kept, touches, layers } = finished(keepTouching(takes));
      // One of the two arms stays on the other, and nothing else touches.
      expect(touches.length, JSON.stringify(touches)).toBe(1);
      const [{ limb, point, space, span }] = touches;
      expect(`${limb} ${space}`).toMatch(/^(rightArm Other\/Right|Other\/rightArm Right)(Hand|Forearm)$/);
      expect(Math.abs(span[0] - from)).toBeLessThanOrEqual(2 * Math.max(1, k));
      expect(Math.abs(span[1] - to)).toBeLessThanOrEqual(2 * Math.max(1, k));
      // What leans below does not part them.
      const lean = swing(['Spine', 'Chest'], 8, 20 * k);
      const at = kept.layers.findIndex(({ id }) => id === layers[0]);
      const leant = { ...kept, layers: kept.layers.toSpliced(at, 0, lean) };
      const way = (frame: number) => {
        const placed = seen(leant, frame);
        const s = jointIndex(leant.rig, space);
        const turn = new Quaternion(...placed.orientations.subarray(4 * s, 4 * s + 4)).invert();
        return placeOf(placed, point).sub(placeOf(placed, space)).applyQuaternion(turn);
      };
      const middle = way(Math.round((span[0] + span[1]) / 2));
      for (let frame = span[0]; frame <= span[1]; frame += k)
        expect(way(frame).distanceTo(middle), `${fps}: ${frame}`).toBeLessThan(0.003);
    }
  });

  it('leans into the bends of a path as a bend at its pace asks for, either way round, in any unit', () => {
    const radius = 5;
    for (const [metresPerUnit, way] of [
      [1, 1],
      [0.01, -1],
    ]) {
      const unit = radius / metresPerUnit;
      const cart = { ...addProp(both, crate({ at: [unit, 0, 0], turn: [0, 0, 0] })), metresPerUnit };
      const along = addPath(cart, 'Crate', 0, { above: cart.layers[cart.layers.length - 1].id });
      expect(leanRefusal(newTarget('Crate', {}))).toMatch(/no path/);
      const round = changePath(along.project, along.id, along.target, (path) => ({
        ...path,
        closed: true,
        points: Array.from({ length: 24 }, (_, k) => {
          const a = (way * k * Math.PI) / 12;
          return [unit * Math.cos(a), 0, unit * Math.sin(a)] as const;
        }),
        along: { keys: [newKey(0, 0, 'linear'), newKey(8 * cart.fps, 1)] },
      }));
      const leaning = leanIntoBends(round, along.id, along.target);
      // A turn in 8 seconds: v = 2πR/8, and tan φ = v²/(R·g).
      const wanted = Math.atan(((Math.PI * radius) / 4) ** 2 / (radius * 9.80665));
      for (const frame of [20, 51.5, 133, 200]) {
        const placed = seen(leaning, frame);
        const up = new Vector3(0, 1, 0).applyQuaternion(turnOf(placed, 'Crate'));
        const inwards = placeOf(placed, 'Crate').multiplyScalar(-1 / unit);
        const lean = Math.atan2(up.dot(inwards), up.y);
        expect(Math.abs(lean - wanted)).toBeLessThan(0.03 * wanted);
      }
    }
  });
});

describe('snapping', () => {
  it('puts joints, ends of limbs, props, targets and performances exactly where they are wanted', () => {
    const cart = addProp(both, crate({ at: [-0.2, 1.2, 0.8] }));
    const pose = newLayer('Pose', 'additive', {
      content: keyed({ Head: { rx: { keys: [newKey(0, 1)] } } }),
    });
    const project = { ...cart, layers: [...cart.layers, pose] };
    const near = (result: Project, frame: number, one: string, other: string) => {
      const placed = seen(result, frame);
      expect(placeOf(placed, one).distanceTo(placeOf(placed, other)), one).toBeLessThan(1e-6);
      return turnOf(placed, one).angleTo(turnOf(placed, other));
    };
    const hand = snapJoint(project, pose.id, 'RightHand', 'Crate', 'both', [9, 14]);
    for (const frame of [9, 14]) expect(near(hand, frame, 'RightHand', 'Crate')).toBeLessThan(1e-6);
    const prop = snapJoint(project, pose.id, 'Crate', 'Brindle/Head', 'both', [7]);
    expect(near(prop, 7, 'Crate', 'Brindle/Head')).toBeLessThan(1e-6);
    const dog = snapJoint(project, pose.id, 'Brindle/Hips', 'Crate', 'place', [7]);
    near(dog, 7, 'Brindle/Hips', 'Crate');
    const target = addTarget(project, { joint: 'LeftHand', frame: 20, whole: true }, { above: pose.id });
    const at = [0.35, 1.2, 1.1];
    const touched = snapJoint(target.project, target.id, 'LeftHand', { at }, 'place', [20]);
    expect(placeOf(seen(touched, 20), 'LeftHand').distanceTo(new Vector3(...at))).toBeLessThan(1e-6);
    // Of both, in a frame of their own and in a space.
    const layer = project.layers[1].id;
    const moved = standCharacter(project, 1, { at: [1, 0, 2], heading: 70, scale: 1.3 });
    for (const start of [moved, setPlacementSpace(moved, layer, 'LeftFoot')]) {
      const placed = snapPlacement(start, layer, 'Crate', 'both', 33);
      expect(near(placed, 33, 'Brindle/Hips', 'Crate')).toBeLessThan(1e-6);
    }
  });
});

describe('a camera', () => {
  // three reads the same file by its own loader, and projects by its own camera.
  it('reprojects points as the one that three reads from a bake with props, within a pixel', async () => {
    const project = addProp(
      wick,
      crate({ name: 'Shot', at: [2.1, 1.4, 3.3], turn: [-9.5, 31, 4], camera: { fov: 35 } }),
    );
    const samples = bakeBlock(compileStack(project), planBake(project, {}), 0, 1);
    const glb = writeGlb(project.rig, samples, {
      name: 'shot',
      metresPerUnit: 1,
      props: true,
      cameras: { Shot: 35 },
    });
    const [read] = readCameras(glb, project.fps);
    expect(read.moves).toBeUndefined();
    const { scene, cameras } = await new GLTFLoader().parseAsync(glb.slice().buffer, '');
    scene.updateMatrixWorld(true);
    const theirs = cameras[0] as PerspectiveCamera;
    theirs.aspect = 16 / 9;
    theirs.updateProjectionMatrix();
    const ours = new PerspectiveCamera(read.fov, 16 / 9, 0.05, 1000);
    ours.position.set(...read.at);
    ours.rotation.set(
      ...(read.turn.map((angle) => (angle * Math.PI) / 180) as [number, number, number]),
      'YXZ',
    );
    ours.updateMatrixWorld(true);
    expect(read.name).toBe('Shot');
    const next = random(3);
    for (let k = 0; k < 50; k++) {
      const point = new Vector3(4 * next() - 2, 2 * next(), 4 * next() - 2);
      const [a, b] = [ours, theirs].map((camera) => point.clone().project(camera));
      expect(Math.hypot((a.x - b.x) * 960, (a.y - b.y) * 540)).toBeLessThan(1);
    }
  });

  // The same of one on an arm that swings by cubic splines, while it pans by itself: three plays the file.
  it('reads a camera that moves, itself and by what it hangs on, as keys that see what three sees at every frame', async () => {
    const next = random(8);
    const file = new Document();
    const buffer = file.createBuffer();
    const numbers = (type: 'SCALAR' | 'VEC3' | 'VEC4', values: readonly number[]) =>
      file.createAccessor().setType(type).setArray(Float32Array.from(values)).setBuffer(buffer);
    const lens = file.createCamera('Lens').setType('perspective').setYFov(0.6).setZNear(0.05).setZFar(100);
    const node = file.createNode('Dolly').setCamera(lens).setTranslation([0.2, 0.1, 1.5]);
    const arm = file.createNode('Arm').setTranslation([0, 1, 0]).setScale([1.5, 1.5, 1.5]).addChild(node);
    file.createScene().addChild(arm);
    const turned = (angle: number, axis: number) => {
      const half = Math.sin(angle / 2);
      return [axis === 0 ? half : 0, axis === 1 ? half : 0, axis === 2 ? half : 0, Math.cos(angle / 2)];
    };
    const none = [0, 0, 0, 0];
    const swing = [0, 0.8, 1.9].flatMap((_, k) => [...none, ...turned(k * 0.9, 1), ...none]);
    const animation = file.createAnimation('Swing');
    const moves = (
      target: typeof node,
      path: 'rotation' | 'translation',
      how: 'CUBICSPLINE' | 'LINEAR',
      times: readonly number[],
      values: readonly number[],
    ) => {
      const sampler = file
        .createAnimationSampler()
        .setInterpolation(how)
        .setInput(numbers('SCALAR', times))
        .setOutput(numbers(path === 'rotation' ? 'VEC4' : 'VEC3', values));
      const channel = file
        .createAnimationChannel()
        .setTargetNode(target)
        .setTargetPath(path)
        .setSampler(sampler);
      animation.addSampler(sampler).addChannel(channel);
    };
    moves(arm, 'rotation', 'CUBICSPLINE', [0, 0.8, 1.9], swing);
    moves(node, 'rotation', 'LINEAR', [0.3, 1.2], [...turned(0, 0), ...turned(-0.5, 0)]);
    moves(node, 'translation', 'LINEAR', [0, 1.7], [0.2, 0.1, 1.5, 0.4, 0.3, 2.5]);
    const glb = await new NodeIO().writeBinary(file);
    const { scene, cameras, animations } = await new GLTFLoader().parseAsync(glb.slice().buffer, '');
    const theirs = cameras[0] as PerspectiveCamera;
    theirs.aspect = 16 / 9;
    theirs.updateProjectionMatrix();
    const mixer = new AnimationMixer(scene);
    mixer.clipAction(animations[0]).play();
    for (const fps of [24, 30, 120]) {
      const base = { ...wick, fps };
      const cameraFile = readCameras(glb, fps);
      const { project, props, layer } = addCameras(base, cameraFile, 1);
      expect(project.layers.at(-1)!.id).toBe(layer);
      const stack = compileStack(project);
      const pose = restPose(project.rig);
      for (let frame = 0; frame <= 1.9 * fps; frame++) {
        mixer.setTime(Math.min(frame / fps, 1.8999));
        scene.updateMatrixWorld(true);
        evaluateStack(stack, frame, pose);
        const { matrices } = placePose(project.rig, pose);
        const ours = new PerspectiveCamera(cameraFile[0].fov, 16 / 9, 0.05, 1000);
        ours.matrixAutoUpdate = false;
        ours.matrix.fromArray(matrices, 16 * props[0]);
        ours.updateMatrixWorld(true);
        for (let k = 0; k < 3; k++) {
          const point = new Vector3(3 * next() - 1.5, 2 * next(), 3 * next() - 1.5).project(theirs);
          if (Math.abs(point.x) > 1 || Math.abs(point.y) > 1 || Math.abs(point.z) > 1) continue;
          const seen = point.clone().unproject(theirs).project(ours);
          expect(Math.hypot((seen.x - point.x) * 960, (seen.y - point.y) * 540)).toBeLessThan(1);
        }
      }
    }
    // A file that would have too many frames, or hangs in itself, is refused with its place.
    expect(() => readCameras(glb, 1e9)).toThrow(/nodes\[\d\]: [\d,]+ frames of a camera, up to 1,000,000/);
    const { json, ...parts } = splitGlb(glb);
    const gltf = JSON.parse(json);
    for (const [k, one] of gltf.nodes.entries()) one.children = [1 - k];
    expect(() => readCameras(joinGlb({ ...parts, json: JSON.stringify(gltf) }), 30)).toThrow(
      /hangs below itself/,
    );
    // A camera that stands comes as it stands, with no layer; the cameras come and go in one step of a project.
    expect(addCameras(wick, [{ ...readCameras(glb, 30)[0], moves: undefined }], 1).project.layers).toBe(
      wick.layers,
    );
  });
});

describe('kits of one of several characters', () => {
  /** Wick with all that his layers do, and a second one elsewhere in the scene who walks as he does. */
  const pair = () => {
    const base = wick.takes.find(({ id }) => takeOf(wick.layers[0])?.take === id)!;
    const { project, character } = addCharacter(wick, {
      name: 'Other',
      rig: WICK,
      takes: [{ ...base, id: 'other walk' }],
      metresPerUnit: 1,
    });
    return standCharacter(project, character, { at: [1.5, 0, -0.4], heading: 140 });
  };

  it('do with a second one what they do with the first, wherever he stands, and leave the first alone', () => {
    const scene = pair();
    const ids = wick.layers.slice(1).map(({ id }) => id);
    const put = putKitOn(scene, makeKitOf(scene, { name: 'All', layers: ids }, 0), {}, 1);
    expect(put.report.leftOut).toEqual([]);
    expect(put.layers.length).toBe(ids.length);
    for (const frame of [0, 33, 64, 90]) {
      const [own, now] = [seen(wick, frame), seen(put.project, frame)];
      for (const [j, { name }] of WICK.joints.entries()) {
        const other = jointIndex(put.project.rig, `Other/${name}`);
        const rotations = (placed: Placed, k: number) => [
          ...placed.pose.rotations.subarray(4 * k, 4 * k + 4),
        ];
        expect(rotations(now, j)).toEqual(rotations(own, j));
        const angle = angleBetween(rotations(now, other), 0, rotations(own, j), 0);
        expect(angle, `${name} at ${frame}`).toBeLessThan(1e-5);
      }
    }
  });

  it('change nothing where they were made, on a further character with a name, a frame and a place of its own', () => {
    const scene = pair();
    const ids = wick.layers.slice(1).map(({ id }) => id);
    for (const place of ['world', 'root'] as const) {
      const all = putKitOn(scene, makeKitOf(scene, { name: 'All', layers: ids, place }, 0), {}, 1).project;
      const own = all.layers.filter(({ id }) => charactersOfLayer(all, id).has(1)).map(({ id }) => id);
      const layers = own.filter((id) => !takeOf(all.layers.find((layer) => layer.id === id)!));
      expect(kitCharacter(all, layers, 0)).toBe(1);
      const kit = makeKitOf(all, { name: 'Again', layers, place }, 1);
      const without = { ...all, layers: all.layers.filter(({ id }) => !layers.includes(id)) };
      const again = putKitOn(without, kit, {}, 1).project;
      expect(again.layers.map(({ name }) => name)).toEqual(all.layers.map(({ name }) => name));
      for (const frame of FRAMES)
        expect(seen(again, frame).pose.rotations).toEqual(seen(all, frame).pose.rotations);
    }
  });
});
