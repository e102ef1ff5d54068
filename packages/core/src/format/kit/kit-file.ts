import { strToU8, zipSync } from 'fflate';
import { newId } from '../../id.js';
import { eachRefusal } from '../../kit/each.js';
import type { Kit, KitLayer } from '../../kit/kit.js';
import { contactsOf } from '../../layer/content.js';
import type { Prop } from '../../layer/prop.js';
import { emptyRecord } from '../../record.js';
import type { Quaternion, Rig } from '../../rig/rig.js';
import type { Take } from '../../take/take.js';
import { decodeText, FileError, inFileAsync, quote } from '../error.js';
import { parseJson } from '../json.js';
import { jsonText } from '../json-lines.js';
import { readAnyTake } from '../kinds/index.js';
import { checkSize } from '../limits.js';
import { filesOfTakes } from '../project-file.js';
import { takeKey } from '../project-json.js';
import { readBy } from '../schema.js';
import { checkGroupsAndVariants } from '../stack/stack-check.js';
import { readGroup, readLayer, readVariant } from '../stack/stack-read.js';
import { saidLimbs } from '../stack/stack-said.js';
import type { FindFile } from '../stack/stack-scene.js';
import type { StackFileLayer } from '../stack/stack-schema.js';
import { groupOf, layerOf, limbsIn, variantOf } from '../stack/stack-write.js';
import { unzip, ZIP_DAY } from '../zip.js';
import { type KitFile, type KitFileJoint, type KitFileLayer, kitSchema } from './kit-schema.js';

export const KIT_ENDING = '.evlay-kit';
export const KIT_ZIP_ENDING = '.evlay-kit.zip';

/** Whether a file is a kit, by its name. */
export const isKitFile = (file: string): boolean => /\.evlay-kit(\.zip)?$/i.test(file);

/** The text of a kit file. Takes that its layers play are beside it. */
export const kitText = (kit: Kit): string => `${jsonText(kitOut(kit, filesOfTakes(kit.takes)))}\n`;

/** A kit as a file: its text, or with takes a zip of the text and of their files. */
export function writeKit(kit: Kit): { readonly bytes: Uint8Array<ArrayBuffer>; readonly ending: string } {
  const text = strToU8(kitText(kit));
  if (kit.takes.length === 0) return { bytes: new Uint8Array(text), ending: KIT_ENDING };
  const files = filesOfTakes(kit.takes);
  const entries: Record<string, Uint8Array> = { [`kit${KIT_ENDING}`]: text };
  for (const take of kit.takes) entries[files.get(take.id)!] = take.source.bytes;
  return { bytes: new Uint8Array(zipSync(entries, { mtime: ZIP_DAY })), ending: KIT_ZIP_ENDING };
}

function kitOut(kit: Kit, files: ReadonlyMap<string, string>): KitFile {
  const { name, fps, range, metresPerUnit, groups, variants, events, root, rig } = kit;
  return {
    format: 'evlay-kit',
    version: 1,
    name,
    fps,
    range: [range[0], range[1]],
    metresPerUnit,
    joints: Object.assign(
      emptyRecord<string>(),
      // A joint without a role is found by its name alone.
      Object.fromEntries(Object.entries(kit.joints).map(([joint, role]) => [joint, role ?? ''])),
    ),
    ...(Object.keys(kit.parts).length > 0 && {
      parts: Object.fromEntries(Object.entries(kit.parts).map(([part, names]) => [part, [...names]])),
    }),
    ...(Object.keys(kit.limbs).length > 0 && { limbs: limbsIn(kit.limbs) }),
    ...(kit.props.length > 0 && {
      props: kit.props.map(({ name: own, at, turn }) => ({
        name: own,
        at: [at[0], at[1], at[2]] as [number, number, number],
        turn: [turn[0], turn[1], turn[2]] as [number, number, number],
      })),
    }),
    ...(groups.length > 0 && { groups: groups.map(groupOf) }),
    ...(variants.length > 0 && { variants: variants.map(variantOf) }),
    events: events.map(({ name: event, frame }): [string, number] => [event, frame]),
    place: root ? 'root' : 'world',
    ...(root && { root: { at: [root.at[0], root.at[1], root.at[2]], heading: root.heading } }),
    layers: kit.layers.map((layer) => layerOut(layer, kit, files)),
    ...(rig && { rest: restOut(rig) }),
  };
}

function layerOut(
  { layer, fit, found }: KitLayer,
  { takes }: Kit,
  files: ReadonlyMap<string, string>,
): KitFileLayer {
  const { contacts, ...out } = layerOf(layer, takes, (id) => files.get(id)!);
  if (!contacts) return { ...out, fit };
  const limbs = Object.entries(contacts.limbs).map(([name, { points, spans }]) => [
    name,
    { ...(points.length > 0 && { points }), spans: found.includes(name) ? ('found' as const) : spans },
  ]);
  return {
    ...out,
    fit,
    contacts: { ...contacts, limbs: Object.assign(emptyRecord(), Object.fromEntries(limbs)) },
  };
}

const restOut = ({ joints }: Rig): KitFileJoint[] =>
  joints.map(({ name, parent, translation, rotation, scale, order, ends, bone }) => ({
    name,
    ...(parent >= 0 && { parent: joints[parent].name }),
    at: [translation[0], translation[1], translation[2]],
    ...(rotation.some((value, k) => value !== NO_TURN[k]) && {
      turn: [rotation[0], rotation[1], rotation[2], rotation[3]] as [number, number, number, number],
    }),
    ...(scale.some((value) => value !== 1) && {
      scale: [scale[0], scale[1], scale[2]] as [number, number, number],
    }),
    ...(order !== 'XYZ' && { order }),
    ...(ends.length > 0 && { ends: ends.map(([x, y, z]): [number, number, number] => [x, y, z]) }),
    ...(bone !== undefined && { bone }),
  }));

const NO_TURN: Quaternion = [0, 0, 0, 1];

/**
 * Reads a kit. `file` is its name: an `.evlay-kit`, whose takes are found beside it by `find`, or an `.evlay-kit.zip`. Throws
 * {@link FileError} that names the place in it.
 */
export async function readKit(
  file: string,
  bytes: Uint8Array,
  find: FindFile = () => undefined,
): Promise<Kit> {
  checkSize(file, bytes.length);
  if (!/\.zip$/i.test(file)) return inFileAsync(file, () => kitIn(bytes, find));
  const entries = new Map(
    unzip(file, bytes, 'a kit, expected an .evlay-kit, or a zip with one').map(({ name, bytes: own }) => [
      name,
      own,
    ]),
  );
  const inside = [...entries.keys()].filter((name) => name.toLowerCase().endsWith(KIT_ENDING));
  if (inside.length !== 1)
    throw new FileError(
      file,
      `there ${inside.length === 0 ? 'is no' : `are ${inside.length}`} ${KIT_ENDING} in it, expected one`,
    );
  const folder = inside[0].slice(0, inside[0].lastIndexOf('/') + 1);
  const found: FindFile = (name) => {
    const own = entries.get(folder + name.replace(/^\.\//, ''));
    return own && { bytes: own };
  };
  return inFileAsync(file, () => kitIn(entries.get(inside[0])!, found));
}

async function kitIn(bytes: Uint8Array, find: FindFile): Promise<Kit> {
  const json = parseJson(decodeText(bytes, 'a kit in JSON'), 'a kit');
  const file = readBy(kitSchema, json, 'the kit');
  checkKit(file);
  const takes = await takesIn(file, find);
  const layers = file.layers.map((layer, k) => layerIn(layer, k, takes));
  return {
    id: newId(),
    name: file.name,
    fps: file.fps,
    range: file.range,
    metresPerUnit: file.metresPerUnit ?? 1,
    joints: Object.assign(
      emptyRecord<string | undefined>(),
      Object.fromEntries(
        Object.entries(file.joints ?? {}).map(([joint, role]) => [joint, role || undefined]),
      ),
    ),
    parts: file.parts ?? {},
    limbs: saidLimbs(file),
    props: (file.props ?? []).map(propIn),
    groups: (file.groups ?? []).map(readGroup),
    variants: (file.variants ?? []).map(readVariant),
    events: (file.events ?? []).map(([name, frame]) => ({ name, frame })).sort((a, b) => a.frame - b.frame),
    ...(file.place === 'root' && file.root && { root: file.root }),
    layers,
    takes: [...takes.values()],
    ...(file.rest && file.rest.length > 0 && { rig: restIn(file.rest) }),
  };
}

const propIn = ({ name, at, turn }: NonNullable<KitFile['props']>[number]): Prop => ({
  name,
  shape: 'box',
  size: [0.1, 0.1, 0.1],
  at: at ?? [0, 0, 0],
  turn: turn ?? [0, 0, 0],
});

async function takesIn(file: KitFile, find: FindFile): Promise<Map<string, Take>> {
  const takes = new Map<string, Take>();
  const ids = new Map<string, string>();
  for (const [k, { take }] of file.layers.entries()) {
    if (!take || takes.has(takeKey(take))) continue;
    const found = find(take.file);
    if (!found)
      throw new FileError(
        `layers[${k}].take.file`,
        `the file ${quote(take.file)} is missing, expected it beside the kit`,
      );
    const id = ids.get(take.file) ?? found.id ?? newId();
    ids.set(take.file, id);
    const read = await readAnyTake(found.file ?? take.file, found.bytes, take.clip, id);
    takes.set(takeKey(take), read.take);
  }
  return takes;
}

/** What no schema can say of a kit: whether what it names is there, and whether what it says goes together. */
function checkKit(file: KitFile): void {
  const ids = new Set<string>();
  for (const [k, { id }] of file.layers.entries()) {
    if (id === undefined) continue;
    if (ids.has(id)) throw new FileError(`layers[${k}].id`, `two layers have the id ${quote(id)}`);
    ids.add(id);
  }
  checkGroupsAndVariants(file, ids);
}

function layerIn(
  { fit = 'events', contacts, ...layer }: KitFileLayer,
  k: number,
  takes: ReadonlyMap<string, Take>,
): KitLayer {
  const found: string[] = [];
  const limbs = Object.entries(contacts?.limbs ?? {}).map(([name, { points, spans }]) => {
    if (spans === 'found') found.push(name);
    return [name, { points: points ?? [], spans: spans === 'found' ? [] : spans }];
  });
  const plain = {
    ...layer,
    ...(contacts && {
      contacts: { ...contacts, limbs: Object.assign(emptyRecord(), Object.fromEntries(limbs)) },
    }),
  } as StackFileLayer;
  // One that has no id gets the same one each time.
  const read = readLayer({ ...plain, id: layer.id ?? `kit-${k + 1}` }, takes);
  const refused = typeof fit === 'object' ? eachRefusal(read) : undefined;
  if (refused) throw new FileError(`layers[${k}].fit`, `${refused}, expected "events", "stretch" or "shift"`);
  return { layer: read, fit, found: contactsOf(read) ? found : [] };
}

/** The character that a kit was made on. */
function restIn(rest: readonly KitFileJoint[]): Rig {
  const index = new Map<string, number>();
  return {
    joints: rest.map(({ name, parent, at, turn, scale, order, ends, bone }, k) => {
      if (index.has(name)) throw new FileError(`rest[${k}].name`, `two joints are called ${quote(name)}`);
      const above = parent === undefined ? -1 : index.get(parent);
      if (above === undefined || (parent === undefined) !== (k === 0))
        throw new FileError(
          `rest[${k}].parent`,
          parent === undefined
            ? 'missing, expected one joint without a parent, the first'
            : `${quote(parent)} is not before it, expected parents before children`,
        );
      index.set(name, k);
      const length = turn ? Math.hypot(...turn) : 1;
      if (!(length > 0.5)) throw new FileError(`rest[${k}].turn`, 'expected a unit quaternion');
      return {
        name,
        parent: above,
        translation: at,
        rotation: turn
          ? (turn.map((value) =>
              Math.abs(length - 1) < 1e-9 ? value : value / length,
            ) as unknown as Quaternion)
          : NO_TURN,
        scale: scale ?? [1, 1, 1],
        order: order ?? 'XYZ',
        ends: ends ?? [],
        channels: [],
        ...(bone !== undefined && { bone }),
      };
    }),
  };
}
