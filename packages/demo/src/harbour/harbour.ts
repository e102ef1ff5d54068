import { Document, WebIO } from '@gltf-transform/core';
import type { V } from '../vector.js';
import { bar, block, colour, newShape, quad, type Shape, sheet, turned } from './shapes.js';

/**
 * Where the demos play: a quay of stone that runs along Z, with its edge at X -1.8 and the water below that, a bollard with a
 * boat that is moored to it, a rail, a lamp post and a low moon. Metres; the walkers' floor is at height 0.
 */
const EDGE = -1.8;
const [NEAR, FAR] = [-9, 17];
const INLAND = 5.4;
const WATER = -0.95;
const LAMP: V = [-1.35, 2.62, -2.3];

/** A number from 0 to 1 that goes with two whole numbers: the same each time. */
function drawn(i: number, k: number): number {
  const x = Math.sin(127.1 * i + 311.7 * k) * 43758.5453;
  return x - Math.floor(x);
}

const shade = (color: V, by: number): V => [color[0] * by, color[1] * by, color[2] * by];

/** Stones in rows across the quay, each a little lighter or darker, and a few millimetres below the floor that is walked on. */
function stones(shape: Shape): void {
  const stone = colour('#4d6267');
  const joint = 0.012;
  for (let row = 0, z = NEAR; z < FAR; row++) {
    const deep = 0.52 + 0.16 * drawn(row, 1);
    for (let k = 0, x = EDGE + 0.5 - (row % 2) * 0.2; x < INLAND; k++) {
      const wide = 0.7 + 0.42 * drawn(row, k + 7);
      const top = -0.001 - 0.005 * drawn(k, row);
      const [a, b] = [Math.max(x, EDGE + 0.46) + joint, x + wide - joint];
      const [c, d] = [z + joint, z + deep - joint];
      const color = shade(stone, 0.84 + 0.3 * drawn(row + 3, k));
      // Only tops are seen: sides would be a few millimetres high.
      quad(shape, [a, top, c], [a, top, d], [b, top, d], [b, top, c], color);
      x += wide;
    }
    z += deep;
  }
  // The edge: larger stones, and the wall below them down to the water.
  const coping = colour('#61757a');
  for (let k = 0, z = NEAR; z < FAR; k++) {
    const long = 1.1 + 0.5 * drawn(k, 40);
    block(
      shape,
      [EDGE, -0.34, z + joint],
      [EDGE + 0.45, -0.001, z + long - joint],
      shade(coping, 0.86 + 0.24 * drawn(k, 41)),
    );
    for (let course = 0; course < 2; course++)
      block(
        shape,
        [EDGE + 0.04, -0.98 + 0.32 * course, z + joint + 0.3 * course],
        [EDGE + 0.3, -0.68 + 0.32 * course, z + long - joint + 0.3 * course],
        shade(stone, 0.55 + 0.2 * drawn(k, 42 + course)),
      );
    z += long;
  }
  // What lies between the stones, and the ground beyond them.
  const ground = colour('#22343a');
  quad(
    shape,
    [EDGE + 0.02, -0.03, NEAR],
    [EDGE + 0.02, -0.03, FAR],
    [40, -0.03, FAR],
    [40, -0.03, NEAR],
    ground,
  );
  quad(
    shape,
    [EDGE + 0.02, -0.032, -60],
    [EDGE + 0.02, -0.032, NEAR],
    [40, -0.032, NEAR],
    [40, -0.032, -60],
    ground,
  );
  quad(
    shape,
    [EDGE + 0.02, -0.032, FAR],
    [EDGE + 0.02, -0.032, 60],
    [40, -0.032, 60],
    [40, -0.032, FAR],
    ground,
  );
}

/** What is of iron: bollards, the rail and the lamp post. */
function iron(shape: Shape): void {
  const dark = colour('#2b3a40');
  for (const z of [1.5, 6.2, -6.4])
    turned(
      shape,
      [EDGE + 0.24, 0, z],
      [
        [0.15, 0],
        [0.15, 0.04],
        [0.1, 0.07],
        [0.095, 0.26],
        [0.15, 0.33],
        [0.15, 0.38],
        [0.09, 0.43],
        [0, 0.44],
      ],
      dark,
    );
  for (const [from, to] of [
    [-8.4, -3.2],
    [8.2, 14.6],
  ]) {
    for (let z = from; z <= to + 1e-6; z += 1.3)
      bar(
        shape,
        [
          [EDGE + 0.2, 0, z],
          [EDGE + 0.2, 0.98, z],
        ],
        0.022,
        dark,
        6,
      );
    for (const height of [0.52, 0.98])
      bar(
        shape,
        [
          [EDGE + 0.2, height, from],
          [EDGE + 0.2, height, to],
        ],
        0.018,
        dark,
        6,
      );
  }
  const [x, y, z] = LAMP;
  turned(
    shape,
    [x, 0, z],
    [
      [0.13, 0],
      [0.13, 0.1],
      [0.075, 0.2],
      [0.05, 0.9],
      [0.035, y - 0.28],
      [0.07, y - 0.26],
      [0.12, y - 0.2],
    ],
    dark,
  );
  // The roof of the lantern, and its four edges.
  turned(
    shape,
    [x, y, z],
    [
      [0.2, 0.17],
      [0.17, 0.21],
      [0.05, 0.33],
      [0, 0.38],
    ],
    dark,
    4,
  );
  for (let k = 0; k < 4; k++) {
    const angle = (Math.PI * k) / 2;
    const out = (radius: number, height: number): V => [
      x + radius * Math.cos(angle),
      y + height,
      z - radius * Math.sin(angle),
    ];
    bar(shape, [out(0.12, -0.2), out(0.18, 0.18)], 0.012, dark, 5);
  }
}

/** The boat: a hull that narrows to bow and stern, with benches, and the rope by which it hangs on the bollard. */
function boat(shape: Shape): void {
  const [x, y, z] = [EDGE - 1.35, WATER, -0.6];
  const half = 1.75;
  const at = (u: number, v: number, inside: number): V => {
    const along = 2 * v - 1;
    const wide = (0.66 - inside) * (1 - Math.abs(along) ** 2.6) ** 0.6 + 0.02;
    const angle = Math.PI * (u - 0.5);
    const sheer = 0.34 + 0.2 * along * along;
    const deep = 0.3 - 0.16 * along * along - inside;
    return [
      x + wide * Math.sin(angle),
      y + sheer - (sheer + deep) * Math.cos(angle) ** 0.7,
      z + along * (half - inside),
    ];
  };
  sheet(shape, [10, 18], (u, v) => at(u, v, 0), colour('#6d4530'));
  sheet(shape, [10, 18], (u, v) => at(1 - u, v, 0.05), colour('#8d6a4a'));
  const rim = (side: number): V[] => Array.from({ length: 19 }, (_, k) => at(side, k / 18, 0.02));
  for (const side of [0, 1]) bar(shape, rim(side), 0.03, colour('#c9a46a'), 6);
  for (const along of [-0.7, 0.1, 0.85])
    block(
      shape,
      [x - 0.5 + 0.06 * Math.abs(along), y + 0.2, z + along - 0.11],
      [x + 0.5 - 0.06 * Math.abs(along), y + 0.235, z + along + 0.11],
      colour('#a07a50'),
    );
  const from: V = [EDGE + 0.24, 0.24, 1.5];
  const to: V = [x, y + 0.52, z + half - 0.08];
  const rope = Array.from({ length: 13 }, (_, k): V => {
    const t = k / 12;
    return [
      from[0] + (to[0] - from[0]) * t,
      from[1] + (to[1] - from[1]) * t - 0.9 * t * (1 - t),
      from[2] + (to[2] - from[2]) * t,
    ];
  });
  bar(shape, rope, 0.014, colour('#b8a27c'), 5);
}

/** Water to the horizon, with low waves that are finer near the quay. */
function water(shape: Shape): void {
  const waves = (x: number, z: number): number =>
    0.02 * Math.sin(1.9 * x + 0.8 * z) +
    0.016 * Math.sin(0.7 * x - 2.3 * z) +
    0.01 * Math.sin(4.1 * x + 3.3 * z);
  sheet(
    shape,
    [26, 44],
    (u, v) => {
      const x = EDGE + 0.1 - 38 * u * u;
      const z = -30 + 66 * v;
      return [x, WATER + waves(x, z), z];
    },
    colour('#1d4a57'),
  );
}

/** The moon, low over the water, and its light on the waves. */
function moonlight(shape: Shape): void {
  const moon: V = [-17, 2.7, -13.5];
  const pale = colour('#efe6c8');
  const disc = Array.from({ length: 28 }, (_, k): V => {
    const angle = (2 * Math.PI * k) / 28;
    const side: V = [0.62, 0, -0.78];
    return [
      moon[0] + 0.62 * Math.cos(angle) * side[0],
      moon[1] + 0.62 * Math.sin(angle),
      moon[2] + 0.62 * Math.cos(angle) * side[2],
    ];
  });
  for (let k = 1; k + 1 < disc.length; k++) quad(shape, disc[0], disc[k], disc[k + 1], disc[k + 1], pale);
  for (let k = 0; k < 26; k++) {
    const t = k / 26;
    const x = -4.4 - 11.5 * t + 1.1 * (drawn(k, 1) - 0.5);
    const z = -2.6 - 10 * t + 1.1 * (drawn(k, 2) - 0.5);
    const [long, deep] = [0.22 + 0.5 * drawn(k, 3), 0.02 + 0.02 * drawn(k, 4)];
    const y = WATER + 0.05;
    const dim = shade(pale, 0.5 + 0.4 * t);
    quad(
      shape,
      [x - long, y, z + long * 0.77],
      [x + long, y, z - long * 0.77],
      [x + long + deep, y, z - long * 0.77 - deep],
      [x - long + deep, y, z + long * 0.77 - deep],
      dim,
    );
  }
}

/** The glass of the lamp. */
function flame(shape: Shape): void {
  turned(
    shape,
    LAMP,
    [
      [0.11, -0.2],
      [0.17, 0.17],
    ],
    colour('#ffc46a'),
    4,
  );
}

const GLOW = colour('#ffb45a');
/** How bright the lamp is, and metres within which it is no brighter. */
const BRIGHT = 1.15;
const WITHIN = 0.9;

/** Puts the light of the lamp into the colours of a shape: one light less for whatever draws it. */
function lightUp({ positions, normals, colors }: Shape): void {
  for (let k = 0; k < positions.length; k += 3) {
    const way = [0, 1, 2].map((axis) => LAMP[axis] - positions[k + axis]);
    const far = Math.hypot(...way);
    const facing = Math.max(0, way.reduce((sum, value, axis) => sum + value * normals[k + axis], 0) / far);
    const light = (BRIGHT * facing) / (1 + (far / WITHIN) ** 2);
    for (let c = 0; c < 3; c++) colors[k + c] = Math.min(1, colors[k + c] * (1 + 6 * light * GLOW[c]));
  }
}

interface Material {
  readonly name: string;
  readonly draw: (shape: Shape) => void;
  readonly roughness: number;
  readonly metallic?: number;
  /** Whether it shines by itself, as lamp and moon do. */
  readonly shines?: boolean;
}

const MATERIALS: readonly Material[] = [
  { name: 'stone', draw: stones, roughness: 0.95 },
  { name: 'iron', draw: iron, roughness: 0.6, metallic: 0.2 },
  { name: 'wood', draw: boat, roughness: 0.8 },
  { name: 'water', draw: water, roughness: 0.22 },
  { name: 'moon', draw: moonlight, roughness: 1, shines: true },
  { name: 'lamp', draw: flame, roughness: 1, shines: true },
];

/** The harbour as a binary glTF file, a mesh a material, lit by its lamp. */
export async function harbourGlb(): Promise<Uint8Array> {
  const document = new Document();
  const buffer = document.createBuffer();
  const scene = document.createScene('Harbour');
  for (const { name, draw, roughness, metallic = 0, shines } of MATERIALS) {
    const shape = newShape();
    draw(shape);
    if (!shines) lightUp(shape);
    const accessor = (values: Float32Array<ArrayBuffer> | Int8Array<ArrayBuffer> | Uint8Array<ArrayBuffer>) =>
      document.createAccessor().setType('VEC3').setArray(values).setBuffer(buffer);
    const coarse = (values: readonly number[], most: number) =>
      values.map((value) => Math.round(most * value));
    const material = document.createMaterial(name).setRoughnessFactor(roughness).setMetallicFactor(metallic);
    if (shines) material.setExtras({ shines });
    const primitive = document
      .createPrimitive()
      .setMaterial(material)
      .setAttribute('POSITION', accessor(Float32Array.from(shape.positions)))
      .setAttribute('NORMAL', accessor(Int8Array.from(coarse(shape.normals, 127))).setNormalized(true))
      .setAttribute('COLOR_0', accessor(Uint8Array.from(coarse(shape.colors, 255))).setNormalized(true));
    scene.addChild(document.createNode(name).setMesh(document.createMesh(name).addPrimitive(primitive)));
  }
  return new WebIO().writeBinary(document);
}
