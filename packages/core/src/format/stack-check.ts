import { type Limb, limbFault } from '../rig/limbs.js';
import { PART_ORDER } from '../rig/parts.js';
import { isWithin, jointIndex, type Rig } from '../rig/rig.js';
import { FileError, quote } from './error.js';
import { pathText } from './schema.js';
import type { StackFile } from './stack-schema.js';

/** What no schema can say of a stack: whether what it names is there, and whether what it says goes together. */

/** Refuses a base that adds: there is nothing below it. */
export function checkBase(file: StackFile): void {
  if (file.layers[0].mode === 'additive') {
    throw new FileError('layers[0].mode', 'the base is additive, expected "override"');
  }
}

/** Refuses names that the rig or the stack does not have. */
export function checkNames(file: StackFile, rig: Rig): void {
  const names = new Set(rig.joints.map((joint) => joint.name));
  const check = (joint: string, path: PropertyKey[]) => {
    if (!names.has(joint))
      throw new FileError(pathText(path), `unknown joint ${quote(joint)}, expected a joint of the rig`);
  };
  for (const [part, joints] of Object.entries(file.parts ?? {})) {
    for (const [i, joint] of joints.entries()) check(joint, ['parts', part, i]);
  }
  for (const [name, limb] of Object.entries(file.limbs ?? {})) if (limb) checkLimb(rig, name, limb, check);
  const ids = new Set<string>();
  const parts = new Set([...PART_ORDER, ...Object.keys(file.parts ?? {})]);
  for (const [index, layer] of file.layers.entries()) {
    for (const field of ['channels', 'joints', 'allows'] as const) {
      for (const joint of Object.keys(layer[field] ?? {})) check(joint, ['layers', index, field, joint]);
    }
    for (const part of Object.keys(layer.mask ?? {})) {
      if (!parts.has(part)) {
        throw new FileError(
          pathText(['layers', index, 'mask', part]),
          `unknown part ${quote(part)}, expected a part of the rig`,
        );
      }
    }
    if (layer.id === undefined) continue;
    if (ids.has(layer.id))
      throw new FileError(`layers[${index}].id`, `two layers have the id ${quote(layer.id)}`);
    ids.add(layer.id);
  }
  checkGroupsAndVariants(file, ids);
}

/** Refuses a limb whose joints do not hang below each other, or that could not bend. */
function checkLimb(
  rig: Rig,
  name: string,
  limb: Pick<Limb, 'chain' | 'bend'>,
  check: (joint: string, path: PropertyKey[]) => void,
): void {
  for (const [i, joint] of limb.chain.entries()) {
    check(joint, ['limbs', name, 'chain', i]);
    if (i === 0) continue;
    const [above, below] = [limb.chain[i - 1], joint].map((one) => jointIndex(rig, one));
    if (below === above || !isWithin(rig, below, above))
      throw new FileError(
        pathText(['limbs', name, 'chain', i]),
        `${quote(joint)} does not hang below ${quote(limb.chain[i - 1])}, expected a chain from the top to the end`,
      );
  }
  const fault = limbFault(rig, limb);
  if (fault) throw new FileError(pathText(['limbs', name]), fault);
}

/** Refuses groups that are not there or that other layers interrupt, and variants that name what is not there. */
function checkGroupsAndVariants(file: StackFile, layerIds: ReadonlySet<string>): void {
  const groups = new Set<string>();
  for (const [index, { id }] of (file.groups ?? []).entries()) {
    if (groups.has(id)) throw new FileError(`groups[${index}].id`, `two groups have the id ${quote(id)}`);
    groups.add(id);
  }
  const left = new Set<string>();
  for (const [index, { group }] of file.layers.entries()) {
    const before = file.layers[index - 1]?.group;
    if (before !== undefined && before !== group) left.add(before);
    if (group === undefined) continue;
    const path = `layers[${index}].group`;
    if (!groups.has(group))
      throw new FileError(path, `unknown group ${quote(group)}, expected one of “groups”`);
    if (left.has(group))
      throw new FileError(path, `${quote(group)} is interrupted, expected its layers to follow one another`);
  }
  const names = new Set<string>();
  for (const [index, { name, layers }] of (file.variants ?? []).entries()) {
    if (names.has(name))
      throw new FileError(`variants[${index}].name`, `two variants have the name ${quote(name)}`);
    names.add(name);
    for (const id of Object.keys(layers ?? {}))
      if (!layerIds.has(id))
        throw new FileError(
          pathText(['variants', index, 'layers', id]),
          `unknown layer ${quote(id)}, expected the id of a layer`,
        );
  }
}
