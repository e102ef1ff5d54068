import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { strToU8, unzipSync, zipSync } from 'fflate';
import { ROOT } from '../run.mjs';

/** Projects that are heavy in one way or another, made of the demo's walk. */

/** The demo's walk with a chain of more joints on the hips, so that the rig has as many as wanted. */
function walkOfMoreJoints(bvh, joints) {
  const more = joints - (bvh.match(/ROOT|JOINT/g) ?? []).length;
  const end = bvh.lastIndexOf('}', bvh.indexOf('MOTION'));
  const chain = Array.from(
    { length: more },
    (_, k) =>
      `JOINT Cord${k + 1}\n{\nOFFSET 0 ${k === 0 ? 0.1 : -0.05} -0.1\nCHANNELS 3 Zrotation Xrotation Yrotation\n`,
  );
  const body = `${chain.join('')}End Site\n{\nOFFSET 0 -0.05 0\n}\n${'}\n'.repeat(more)}`;
  const rows = bvh.slice(end).replace(/^(?=[-\d].*)(.*)$/gm, `$1${' 0'.repeat(3 * more)}`);
  return bvh.slice(0, end) + body + rows;
}

/**
 * A project of one take under layers that have all the keys: additive ones; with `mixed` every second one is an override
 * layer with keyed weights of parts.
 */
export function heavyProject(count, keyed, layerCount, mixed, keys) {
  const demo = unzipSync(readFileSync(join(ROOT, 'apps/web/dist/demo/lamp-lighting.evlay')));
  const bvh = walkOfMoreJoints(new TextDecoder().decode(demo['takes/walk.bvh']), count);
  const names = [...bvh.matchAll(/(?:ROOT|JOINT) (\S+)/g)].map(([, name]) => name);
  const arms = names.filter((name) => /Arm|Forearm|Hand$|Leg|Foot|Spine|Chest|Neck|Head|Shoulder/.test(name));
  const joints = arms.concat(names.filter((name) => !arms.includes(name))).slice(0, keyed);
  const keysOfCurve = Math.max(2, Math.ceil(keys / (layerCount - 1) / joints.length / (keyed > 30 ? 3 : 1)));
  // In whole frames, where there are as many.
  const frameOf = (k) => {
    const frame = (120 * k) / (keysOfCurve - 1);
    return keysOfCurve > 121 ? Number(frame.toFixed(4)) : Math.round(frame);
  };
  const curve = (layer, axis) => ({
    keys: Array.from({ length: keysOfCurve }, (_, k) => [frameOf(k), Math.sin(layer + axis + k)]),
  });
  const weight = (n) => ({
    keys: [
      [0, 0.2],
      [(7 * n) % 120 || 1, 0.8],
      [120, 0.4],
    ].sort((a, b) => a[0] - b[0]),
  });
  const parts = ['head', 'torso', 'leftArm', 'rightArm', 'leftLeg', 'rightLeg'];
  const layers = Array.from({ length: layerCount - 1 }, (_, n) => ({
    name: `Layer ${n + 1}`,
    mode: mixed && n % 2 === 1 ? 'override' : 'additive',
    ...(mixed && { mask: Object.fromEntries(parts.map((part, k) => [part, weight(n + k + 1)])) }),
    channels: Object.fromEntries(
      joints.map((joint, j) => [
        joint,
        Object.fromEntries(['rx', 'ry', 'rz'].map((c, axis) => [c, curve(n + j, axis)])),
      ]),
    ),
  }));
  const stack = {
    format: 'evlay-stack',
    version: 1,
    fps: 30,
    range: [0, 120],
    layers: [{ name: 'Walk', take: { file: 'takes/walk.bvh' } }, ...layers],
  };
  return Buffer.from(
    zipSync({ 'stack.json': strToU8(JSON.stringify(stack)), 'takes/walk.bvh': strToU8(bvh) }),
  );
}

/** A walk that is played over and over at so many samples a second, from one of its rows on. */
function longWalk(walk, seconds, rate, from = 0) {
  const motion = walk.indexOf('MOTION');
  const rows = walk
    .slice(motion)
    .split('\n')
    .filter((line) => /^[-\d]/.test(line));
  const count = Math.round(seconds * rate) + 1;
  const lines = Array.from({ length: count }, (_, s) => rows[(from + s) % rows.length]);
  const head = `MOTION\nFrames: ${count}\nFrame Time: ${(1 / rate).toFixed(9)}\n`;
  return strToU8(`${walk.slice(0, motion)}${head}${lines.join('\n')}\n`);
}

/** A project of many takes, of which one plays under a keyed layer. */
export function projectOfTakes(takes, seconds, rate) {
  const demo = unzipSync(readFileSync(join(ROOT, 'apps/web/dist/demo/lamp-lighting.evlay')));
  const walk = new TextDecoder().decode(demo['takes/walk.bvh']);
  const files = {};
  for (let k = 1; k <= takes; k++) files[`takes/take-${k}.bvh`] = longWalk(walk, seconds, rate, 7 * k);
  const rx = {
    keys: [
      [0, 0],
      [30, 5],
      [90, -5],
    ],
  };
  const stack = {
    format: 'evlay-stack',
    version: 1,
    fps: 30,
    range: [0, seconds * 30],
    layers: [
      { name: 'Walk', take: { file: 'takes/take-1.bvh' } },
      { name: 'Layer 1', mode: 'additive', weight: 0.5, channels: { Spine: { rx } } },
    ],
  };
  const json = { name: 'Takes', takes: Object.keys(files).map((file) => ({ file, name: file })) };
  const texts = {
    'stack.json': strToU8(JSON.stringify(stack)),
    'project.json': strToU8(JSON.stringify(json)),
  };
  return Buffer.from(zipSync({ ...texts, ...files }, { level: 1 }));
}

/**
 * A project of one long take, the demo's walk played over and over at so many samples a second, and of layers over it:
 * additive ones of keys.
 */
export function longProject(seconds, rate, layerCount) {
  const demo = unzipSync(readFileSync(join(ROOT, 'apps/web/dist/demo/lamp-lighting.evlay')));
  const walk = new TextDecoder().decode(demo['takes/walk.bvh']);
  const names = [...walk.matchAll(/(?:ROOT|JOINT) (\S+)/g)].map(([, name]) => name);
  const bvh = longWalk(walk, seconds, rate);
  const joints = names.filter((name) => /Arm|Forearm|Hand$|Spine|Chest|Neck|Head|Shoulder/.test(name));
  const wave = (n, axis) => ({
    keys: Array.from({ length: 40 }, (_, k) => [
      Math.round((k * seconds * 30) / 40),
      5 * Math.sin(n + axis + k),
    ]),
  });
  const layers = Array.from({ length: layerCount - 1 }, (_, n) => ({
    name: `Layer ${n + 1}`,
    mode: 'additive',
    weight: 0.5,
    channels: Object.fromEntries(
      joints.map((joint, j) => [
        joint,
        Object.fromEntries(['rx', 'ry', 'rz'].map((c, axis) => [c, wave(n + j, axis)])),
      ]),
    ),
  }));
  const stack = {
    format: 'evlay-stack',
    version: 1,
    fps: 30,
    range: [0, seconds * 30],
    layers: [{ name: 'Walk', take: { file: 'takes/walk.bvh' } }, ...layers],
  };
  const files = { 'stack.json': strToU8(JSON.stringify(stack)), 'takes/walk.bvh': bvh };
  return Buffer.from(zipSync(files, { level: 1 }));
}

/** When the feet of the demo's walk stand. */
const STANCES = {
  left: [
    [2, 20],
    [35, 53],
    [68, 86],
    [101, 120],
  ],
  right: [
    [18, 37],
    [52, 70],
    [85, 103],
  ],
};

/**
 * Two characters that walk beside each other: each with a take, keyed layers, held contacts and three targets, one of which is
 * a hand on the other. With `skinned` they are the demo's Wick; else skeletons of 65 joints.
 */
export function sceneOfTwo(skinned) {
  const demo = unzipSync(readFileSync(join(ROOT, 'apps/web/dist/demo/lamp-lighting.evlay')));
  const walk = new TextDecoder().decode(demo['takes/walk.bvh']);
  const bvh = skinned ? walk : walkOfMoreJoints(walk, 65);
  const names = [...walk.matchAll(/(?:ROOT|JOINT) (\S+)/g)].map(([, name]) => name);
  const joints = names.filter((name) => /Arm|Forearm|Hand$|Spine|Chest|Neck|Head|Shoulder/.test(name));
  const rig = skinned ? 'rig.glb' : 'takes/walk.bvh';
  const wave = (n, axis) => ({
    keys: Array.from({ length: 9 }, (_, k) => [15 * k, 3 * Math.sin(n + axis + k)]),
  });
  const layersOf = (prefix, other) => [
    { name: `${prefix}walk`, take: { file: 'takes/walk.bvh' }, ...(prefix && { character: 'Other' }) },
    ...Array.from({ length: 20 }, (_, n) => ({
      name: `${prefix}layer ${n + 1}`,
      mode: 'additive',
      channels: Object.fromEntries(
        joints.map((joint, j) => [
          `${prefix}${joint}`,
          Object.fromEntries(['rx', 'ry', 'rz'].map((c, axis) => [c, wave(n + j, axis)])),
        ]),
      ),
    })),
    {
      name: `${prefix}feet`,
      contacts: {
        fade: 4,
        hips: true,
        limbs: Object.fromEntries(
          Object.entries(STANCES).map(([side, spans]) => [
            `${prefix}${side}Leg`,
            { points: [{ joint: `${prefix}${side === 'left' ? 'Left' : 'Right'}Foot`, floor: 0.08 }], spans },
          ]),
        ),
      },
    },
    ...[
      { joint: 'LeftHand', space: { joint: `${other}RightShoulder` }, at: { ty: 0.05 } },
      { joint: 'RightHand', space: { joint: `${prefix}Hips` }, at: { tx: -0.3, tz: 0.2 } },
      { joint: 'LeftHand', space: { joint: `${prefix}Chest` }, at: { tz: 0.3 }, half: true },
    ].map(({ half, joint, ...target }, k) => ({
      name: `${prefix}reach ${k + 1}`,
      weight: half ? 0.3 : 0.8,
      targets: [{ joint: `${prefix}${joint}`, ...target }],
    })),
  ];
  const stack = {
    format: 'evlay-stack',
    version: 1,
    fps: 30,
    range: [0, 120],
    rig,
    characters: [{ name: 'Other', rig, at: [0.8, 0, 0] }],
    layers: [...layersOf('', 'Other/'), ...layersOf('Other/', '')],
  };
  const files = { 'stack.json': strToU8(JSON.stringify(stack)), 'takes/walk.bvh': strToU8(bvh) };
  return Buffer.from(zipSync(skinned ? { ...files, 'rig.glb': demo['rig.glb'] } : files));
}
