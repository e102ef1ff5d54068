import { type CurveAddress, layerById, ownerById, type Project } from '@evlay/core';
import {
  copyWeight,
  doublyKeyed,
  fadeWeight,
  invertMask,
  limitToParts,
  type Softness,
  setValue,
  softenBorders,
} from '@evlay/core/edit';
import { type PartSet, partNames, partsInSet } from '@evlay/core/rig';
import { partsOfCast } from '../../editor/cast.js';
import type { Editor } from '../../editor/editor.js';
import { command, type Refusal } from '../command.js';
import { pickedLayers } from './picked-layers.js';

const lit = ({ session }: Editor): string => session.getState().lit;

/** Where a layer is to count: a half or a kind of parts, the picked parts alone, or all but those. */
export type Region = PartSet | 'picked' | 'all but picked';

function partsOf({ session, history }: Editor, region: Region): readonly string[] {
  const { parts: picked, character } = session.getState();
  const parts = partsOfCast(history.project(), character);
  if (region === 'picked') return picked;
  if (region === 'all but picked') return partNames(parts).filter((part) => !picked.includes(part));
  return partsInSet(parts, region);
}

/** Lets the picked layers count in a region of the body and nowhere else. */
export const countIn = command<Region>({
  name: 'Let the layer count in some parts alone',
  layer: pickedLayers,
  refusal(editor, region): Refusal | undefined {
    const { length } = editor.session.getState().parts;
    if ((region === 'picked' || region === 'all but picked') && length === 0)
      return { reason: 'Pick a part on the body map first' };
    return partsOf(editor, region).length > 0 ? undefined : { reason: 'This character has no such parts' };
  },
  run(editor, region, change) {
    const parts = partsOf(editor, region);
    for (const id of pickedLayers(editor)) change((project) => limitToParts(project, id, parts));
  },
});

/** Lets the picked layers count where they did not, and the other way round. */
export const invertParts = command({
  name: 'Let the layer count where it did not',
  palette: 'Layer',
  layer: pickedLayers,
  refusal(editor): Refusal | undefined {
    const project = editor.history.project();
    for (const id of pickedLayers(editor)) {
      const layer = layerById(project, id);
      const [joint] = layer ? doublyKeyed(project, layer) : [];
      if (joint)
        return { reason: `On ${layer!.name} both the part of ${joint} and ${joint} itself are keyed` };
    }
    return undefined;
  },
  run(editor, _, change) {
    for (const id of pickedLayers(editor)) change((project) => invertMask(project, id));
  },
});

/** How wide soft borders are: over joints, or over centimetres. */
export type BorderWidth = { readonly joints: number } | { readonly centimetres: number };

/** Spreads the borders between parts in which the picked layers count and others over some of the body. */
export const soften = command<BorderWidth>({
  name: 'Soften the borders between parts',
  layer: pickedLayers,
  refusal(editor): Refusal | undefined {
    const layer = layerById(editor.history.project(), lit(editor));
    if (!layer?.mask) return { reason: 'It counts everywhere: limit it to some parts first' };
    return undefined;
  },
  run(editor, width, change) {
    const { session } = editor;
    session.setState(({ timing }) => ({ timing: { ...timing, border: width } }));
    const from = editor.history.settled();
    const softness: Softness =
      'joints' in width ? width : { length: (0.01 * width.centimetres) / from.metresPerUnit };
    for (const id of pickedLayers(editor))
      change((project) => {
        // A drag counts from how the layer was when it began.
        const start = layerById(from, id);
        const again: Project = start
          ? { ...project, layers: project.layers.map((layer) => (layer.id === id ? start : layer)) }
          : project;
        return softenBorders(again, id, softness);
      });
  },
});

/** A stroke over the body map: the parts that it has passed weigh so much on the picked layers. */
export const paintParts = command<{ readonly parts: readonly string[]; readonly value: number }>({
  name: 'Weigh the parts under a stroke',
  layer: pickedLayers,
  run(editor, { parts, value }, change) {
    const frame = editor.playhead.get();
    for (const layer of pickedLayers(editor))
      for (const part of parts)
        change((project) => setValue(project, { kind: 'part', layer, part }, frame, value));
  },
});

/** Keeps a copy of what stands at an address: the weight of a layer or of a part. */
export const copyTheWeight = command<CurveAddress>({
  name: 'Copy the weight',
  looks: true,
  run: ({ session }, copiedWeight) => session.setState({ copiedWeight }),
});

/** Gives what was copied, with its keys, to other addresses. */
export const pasteTheWeight = command<readonly CurveAddress[]>({
  name: 'Paste the weight',
  layer: (_, addresses) => addresses.map(({ layer }) => layer),
  refusal({ session, history }, addresses) {
    const { copiedWeight } = session.getState();
    const layer = copiedWeight && ownerById(history.project(), copiedWeight.layer);
    if (!copiedWeight || !layer) return { reason: 'No weight was copied' };
    return addresses.length > 0 ? undefined : { reason: 'Pick the parts that are to weigh as much' };
  },
  run({ session }, addresses, change) {
    const { copiedWeight } = session.getState();
    if (copiedWeight) change((project) => copyWeight(project, copiedWeight, addresses));
  },
});

/** Fades weights in or out from the playhead on, over as many frames as fades around keys come or go. */
export const fadeHere = command<{ addresses: readonly CurveAddress[]; way: 'in' | 'out' }>({
  name: 'Fade the weight from here',
  layer: (_, { addresses }) => addresses.map(({ layer }) => layer),
  run({ session, playhead }, { addresses, way }, change) {
    const { before, after } = session.getState().timing.fades;
    const frames = Math.max(1, way === 'in' ? before : after);
    for (const address of addresses)
      change((project) => fadeWeight(project, address, playhead.get(), frames, way));
  },
});
