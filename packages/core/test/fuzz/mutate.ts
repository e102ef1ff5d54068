import { strFromU8, strToU8, zipSync } from 'fflate';
import { joinGlb, splitGlb, unzip } from '../../src/format/index.js';

/** Damages files: their bytes, words and numbers, and the structure, sizes and nesting of what is in them. */

type Next = () => number;
type Mutate = (bytes: Uint8Array, next: Next) => Uint8Array;

const pick = <T>(next: Next, list: readonly T[]): T => list[Math.floor(next() * list.length)];
/** Mostly small, seldom up to `most`. */
const size = (next: Next, most: number): number => Math.floor(most ** (next() ** 2));

const WORDS = [
  '{',
  '}',
  '[',
  ']',
  '-1',
  'NaN',
  'null',
  'true',
  '""',
  '"',
  '\n',
  ',',
  ':',
  ' ',
  '\u2028',
  '\ufeff',
  'CHANNELS',
  'JOINT',
  'MOTION',
  'End Site',
  '__proto__',
  'constructor',
];
const NUMBERS = [
  '0',
  '-0',
  '1',
  '-1',
  '0.001',
  '1e-320',
  '5e-324',
  '1e15',
  '1e18',
  '1e308',
  '-1.7e308',
  '1e400',
  '2147483648',
  '4294967295',
  '9007199254740993',
  '65536',
  '1000000',
  '.5',
  '1.',
];

function spliced(bytes: Uint8Array, from: number, to: number, put: Uint8Array): Uint8Array {
  const end = Math.max(from, to);
  const out = new Uint8Array(from + put.length + bytes.length - end);
  out.set(bytes.subarray(0, from));
  out.set(put, from);
  out.set(bytes.subarray(end), from + put.length);
  return out;
}

/** Cuts, drops, doubles, overwrites and flips. */
const inBytes: Mutate = (bytes, next) => {
  const from = Math.floor(next() * bytes.length);
  const to = Math.min(bytes.length, from + size(next, bytes.length));
  const kind = Math.floor(next() * 5);
  if (kind === 0) return bytes.slice(0, from);
  if (kind === 1) return spliced(bytes, from, to, new Uint8Array(0));
  if (kind === 2) return spliced(bytes, Math.floor(next() * bytes.length), 0, bytes.slice(from, to));
  const out = bytes.slice();
  if (kind === 3) for (let k = from; k < Math.min(to, from + 8); k++) out[k] = Math.floor(next() * 256);
  else if (bytes.length > 0) out[from] ^= 1 << Math.floor(next() * 8);
  return out;
};

/** A word more, or one in place of another. */
const inWords: Mutate = (bytes, next) => {
  const text = strFromU8(bytes, true);
  const at = Math.floor(next() * text.length);
  const word = /[^\s,[\]{}:"]+/g;
  word.lastIndex = at;
  const found = next() < 0.7 ? word.exec(text) : null;
  const isNumber = found && /\d/.test(found[0]);
  const put = isNumber && next() < 0.8 ? pick(next, NUMBERS) : pick(next, WORDS);
  return found
    ? spliced(bytes, found.index, found.index + found[0].length, strToU8(put))
    : spliced(bytes, at, at, strToU8(put));
};

/** A stretch many times over: up to 200 kB of it. */
const inSize: Mutate = (bytes, next) => {
  const from = Math.floor(next() * bytes.length);
  const piece =
    next() < 0.3
      ? strToU8(pick(next, [' ', '\n', '0', '9', 'A', '[', '{"a":', '1 ', 'é']))
      : bytes.slice(from, from + 1 + size(next, 400));
  const times = Math.min(size(next, 20_000), Math.floor(200_000 / piece.length));
  const put = new Uint8Array(piece.length * times);
  for (let k = 0; k < times; k++) put.set(piece, k * piece.length);
  return spliced(bytes, from, from, put);
};

/** Joints within joints, in a BVH file. */
const inJoints: Mutate = (bytes, next) => {
  const text = strFromU8(bytes);
  const at = text.indexOf('JOINT');
  const depth = size(next, 6000);
  const name = pick(next, ['j', 'LeftArm', 'Spine', '__proto__', 'constructor', 'x'.repeat(50)]);
  let put = '';
  for (let k = 0; k < depth; k++)
    put += `JOINT ${name}${next() < 0.999 ? k : ''}\n{\nOFFSET 0 1 0\nCHANNELS ${next() < 0.5 ? '0' : '3 Zrotation Xrotation Yrotation'}\n`;
  return strToU8(`${text.slice(0, at)}${put}${'}\n'.repeat(depth)}${text.slice(Math.max(0, at))}`);
};

type Json = null | boolean | number | string | Json[] | { [name: string]: Json };

/** Something else at one place of a JSON text. */
const inJson: Mutate = (bytes, next) => {
  let json: Json;
  try {
    json = JSON.parse(strFromU8(bytes)) as Json;
  } catch {
    return inWords(bytes, next);
  }
  const places: { holder: Json[] | Record<string, Json>; name: string }[] = [];
  const visit = (value: Json): void => {
    if (typeof value !== 'object' || value === null) return;
    for (const name of Object.keys(value)) {
      places.push({ holder: value as Record<string, Json>, name });
      visit((value as Record<string, Json>)[name]);
    }
  };
  visit(json);
  if (places.length === 0) return bytes;
  const { holder, name } = pick(next, places);
  const record = holder as Record<string, Json>;
  const other = pick(next, places);
  const kind = Math.floor(next() * 8);
  if (kind === 0) delete record[name];
  else if (kind === 1) record[name] = (other.holder as Record<string, Json>)[other.name];
  else if (kind === 2)
    record[name] = pick<Json>(next, [
      null,
      true,
      0,
      -1,
      1.5,
      '',
      'x',
      [],
      {},
      1e15,
      1e300,
      2 ** 32,
      [[]],
      65_535,
    ]);
  else if (kind === 3) record[pick(next, ['__proto__', 'constructor', 'toString', 'x', '0'])] = record[name];
  else if (kind === 4 && Array.isArray(holder))
    for (let k = size(next, 3000); k > 0; k--) holder.push(record[name]);
  else if (kind === 5) {
    let deep: Json = record[name];
    for (let k = size(next, 2000); k > 0; k--) deep = next() < 0.5 ? [deep] : { x: deep };
    record[name] = deep;
  } else if (kind === 6 && typeof record[name] === 'number') record[name] = Number(pick(next, NUMBERS)) || 0;
  else if (kind === 6 && typeof record[name] === 'string')
    record[name] = `${record[name]}`.repeat(size(next, 5000)).slice(0, 200_000);
  else if (Array.isArray(holder))
    holder.splice(Number(name), Math.floor(next() * 3), record[name], record[name]);
  else
    record[name] = {
      keys: [
        [0, 0],
        [1, record[name]],
      ],
    } as unknown as Json;
  try {
    return strToU8(JSON.stringify(json));
  } catch {
    // What was put into itself cannot be written.
    return bytes;
  }
};

/** The JSON or the numbers of a binary glTF file. */
const inGlb: Mutate = (bytes, next) => {
  if (next() < 0.15) return inBytes(bytes, next);
  const { json, bin, others } = splitGlb(bytes);
  const damaged = next() < 0.75 ? anyOf([inJson, inJson, inWords, inSize])(strToU8(json), next) : undefined;
  return joinGlb({
    json: damaged ? strFromU8(damaged) : json,
    bin: damaged && next() < 0.7 ? bin : anyOf([inBytes, inFloats])(bin, next),
    others,
  });
};

/** Numbers of 32 bits that no motion holds. */
const inFloats: Mutate = (bytes, next) => {
  const out = bytes.slice();
  const view = new DataView(out.buffer);
  for (let k = size(next, 20); k > 0; k--) {
    const at = 4 * Math.floor(next() * Math.floor(out.length / 4));
    if (at + 4 <= out.length)
      view.setFloat32(
        at,
        pick(next, [Number.NaN, 1e38, -1e30, Number.POSITIVE_INFINITY, 0, 1e-40, 1e5, 300_000]),
        true,
      );
  }
  return out;
};

/** One file of a zip, packed anew, or the zip itself. */
const inZip: Mutate = (bytes, next) => {
  if (next() < 0.3) return inBytes(bytes, next);
  const entries = unzip('x', bytes, 'a zip');
  const { name } = pick(next, entries);
  const mutate = /json$/.test(name) ? anyOf([inJson, inWords, inSize]) : /glb$/.test(name) ? inGlb : inText;
  return zipSync(
    Object.fromEntries(
      entries.map((entry) => [entry.name, entry.name === name ? mutate(entry.bytes, next) : entry.bytes]),
    ),
    { level: 1 },
  );
};

const anyOf =
  (all: readonly Mutate[]): Mutate =>
  (bytes, next) =>
    pick(next, all)(bytes, next);

const inText = anyOf([inBytes, inWords, inWords, inWords, inSize, inJoints]);

/** How the files of each kind are damaged. */
export const MUTATIONS = {
  text: inText,
  json: anyOf([inJson, inJson, inJson, inWords, inBytes, inSize]),
  glb: inGlb,
  zip: inZip,
} as const;

/** Damages a file in one to three ways, as the generator says. */
export function damaged(kind: keyof typeof MUTATIONS, bytes: Uint8Array, next: Next): Uint8Array {
  let out = bytes;
  for (let times = 1 + Math.floor(next() * 3); times > 0 && out.length > 0; times--) {
    try {
      out = MUTATIONS[kind](out, next);
    } catch {
      // What was damaged so that it cannot be taken apart any more is damaged as bytes.
      out = inBytes(out, next);
    }
    if (out.length > 2_000_000) break;
  }
  return out;
}
