import { joinGlb } from '../src/format/index.js';

/** A file with everything that a rigged character brings along, as text, so that what must stay can be compared. */
export function awkwardCharacter(): Uint8Array {
  const numbers: number[] = [];
  const views: string[] = [];
  const accessors: string[] = [];
  const add = (type: string, size: number, values: number[], more = '') => {
    views.push(`{"buffer":0, "byteOffset":${4 * numbers.length}, "byteLength":${4 * values.length}}`);
    accessors.push(
      `{"bufferView":${views.length - 1}, "componentType":5126, "count":${values.length / size}, "type":"${type}"${more}}`,
    );
    numbers.push(...values);
    return accessors.length - 1;
  };
  const bind = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
  const h = Math.SQRT1_2;
  const positions = add('VEC3', 3, [0, 0, 0, 1, 0, 0, 0, 1, 0], ', "min":[0,0,0], "max":[1,1,0]');
  const weights = add('VEC4', 4, [1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0]);
  const binds = add('MAT4', 16, [bind, bind, bind, bind].flat());
  const times = add('SCALAR', 1, [0, 0.5, 1], ', "min":[0], "max":[1]');
  const turns = add('VEC4', 4, [0, 0, 0, 1, 0, h, 0, h, 0.5, 0.5, 0.5, 0.5]);
  const moves = add('VEC3', 3, [0, 90, 0, 10, 95, 3, 20, 90, 8]);
  const sinks = add('VEC3', 3, [0, 0, 0, 0, 0.2, 0, 0, 0.1, 0.4]);
  const joints = numbers.length;
  const bin = new Uint8Array(4 * joints + 12);
  bin.set(new Uint8Array(Float32Array.from(numbers).buffer));
  views.push(`{"buffer":0, "byteOffset":${4 * joints}, "byteLength":12}`);
  accessors.push(`{"bufferView":${views.length - 1}, "componentType":5121, "count":3, "type":"VEC4"}`);
  const mesh = (name: string) =>
    `{"name":"${name}", "primitives":[{"attributes":{"POSITION":${positions}, "JOINTS_0":${accessors.length - 1}, "WEIGHTS_0":${weights}}, "material":0}]}`;
  const json = `{
  "asset": {"version": "2.0", "generator": "by hand", "extras": {"note": "kept  as is"}},
  "extensionsUsed": ["ACME_lantern"],
  "extensions": {"ACME_lantern": {"oil": 1.50, "wick": [1e-3, 2E2]}},
  "scene": 0,
  "scenes": [{"nodes": [0, 5, 6], "extras": {"tide": "low"}}],
  "nodes": [
    {"name": "Rigging", "rotation": [${-h}, 0, 0, ${h}], "scale": [0.010, 0.010, 0.010], "children": [1]},
    {"name": "Hips", "translation": [0, 90.0, 0], "rotation": [0, 0, ${h}, ${h}], "children": [2, 4], "extras": {"role": "walks"}},
    {"name": "Chest", "matrix": [0,1,0,0, -1,0,0,0, 0,0,1,0, 0,30,5,1], "children": [3]},
    {"name": "Arm.L", "translation": [20, 0, 0], "scale": [1.5, 1.5, 1.5]},
    {"translation": [-20, 4, 0]},
    {"name": "Body", "mesh": 0, "skin": 0, "extensions": {"ACME_lantern": {}}},
    {"name": "Coat", "mesh": 1, "skin": 0}
  ],
  "meshes": [${mesh('Body')}, ${mesh('Coat')}],
  "materials": [{"name": "tar", "extras": {"list": [1, 2, {"deep": null}]}}],
  "skins": [{"joints": [3, 1, 4, 2], "inverseBindMatrices": ${binds}}],
  "animations": [{"name": "wave", "channels": [
    {"sampler": 0, "target": {"node": 3, "path": "rotation"}},
    {"sampler": 0, "target": {"node": 1, "path": "rotation"}},
    {"sampler": 1, "target": {"node": 1, "path": "translation"}},
    {"sampler": 2, "target": {"node": 0, "path": "translation"}}
  ], "samplers": [{"input": ${times}, "output": ${turns}}, {"input": ${times}, "output": ${moves}}, {"input": ${times}, "output": ${sinks}}]}],
  "accessors": [${accessors.join(',\n    ')}],
  "bufferViews": [${views.join(', ')}],
  "buffers": [{"byteLength": ${bin.length}}]
}`;
  return joinGlb({ json, bin, others: [{ kind: 0x454d4341, bytes: Uint8Array.of(1, 2, 3, 4) }] });
}
