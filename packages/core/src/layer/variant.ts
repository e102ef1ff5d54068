import type { Scalar } from '../curve/curve.js';
import { entryOf } from '../record.js';
import type { Layer } from './layer.js';

/** What a variant says of a layer; what it does not say stays as it is. */
export interface VariantLayer {
  readonly muted?: boolean;
  /** In place of the layer's own weight. */
  readonly weight?: Scalar;
}

/** A named state of which layers are on and how they weigh. */
export interface Variant {
  readonly name: string;
  /** By the id of a layer. */
  readonly layers: Readonly<Record<string, VariantLayer>>;
  /** In place of the range of the project. */
  readonly range?: readonly [number, number];
}

/** What variants say something of: a project, or what of it is evaluated. */
interface Varied {
  readonly variants: readonly Variant[];
  readonly range: readonly [number, number];
  readonly layers: readonly Layer[];
}

/** The project with the values of one of its variants written out; itself where there is none of that name. */
export function withVariant<P extends Varied>(project: P, name: string | undefined): P {
  const variant = project.variants.find((one) => one.name === name);
  if (!variant) return project;
  return {
    ...project,
    range: variant.range ?? project.range,
    layers: project.layers.map((layer) => {
      const said = entryOf(variant.layers, layer.id);
      return said && Object.keys(said).length > 0 ? written(layer, said) : layer;
    }),
  };
}

const writtenOf = new WeakMap<Layer, WeakMap<VariantLayer, Layer>>();

/** A layer with the values of a variant; the same one each time, so that it is not compiled again. */
function written(layer: Layer, said: VariantLayer): Layer {
  const known = writtenOf.get(layer) ?? new WeakMap();
  writtenOf.set(layer, known);
  let made = known.get(said);
  if (!made) {
    made = { ...layer, ...said };
    known.set(said, made);
  }
  return made;
}
