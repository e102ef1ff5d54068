import type { Curve, Key, Scalar } from '../../curve/curve.js';
import { newId } from '../../id.js';
import type { StackFileCurve, StackFileKey, StackFileScalar } from './stack-schema.js';

/** Numbers and curves as a stack file has them, both ways. */

export function mapValues<A, B>(
  record: Readonly<Record<string, A>>,
  map: (value: A) => B,
): Record<string, B> {
  return Object.fromEntries(
    Object.entries(record).flatMap(([key, value]) => (value === undefined ? [] : [[key, map(value)]])),
  );
}

export const readScalar = (scalar: StackFileScalar): Scalar =>
  typeof scalar === 'number' ? scalar : readCurve(scalar);

export const readCurve = (curve: StackFileCurve): Curve => ({ keys: curve.keys.map(readKey) });

function readKey(key: StackFileKey): Key {
  const [frame, value, detail] = key;
  const base = { id: newId(), frame, value };
  if (detail === undefined) return { ...base, ease: 'smooth' };
  if (typeof detail === 'string') return { ...base, ease: detail };
  const { ease = 'smooth', ...handles } = detail;
  return { ...base, ease, ...handles };
}

export const mapScalars = (record: Readonly<Record<string, Scalar>>): Record<string, StackFileScalar> =>
  Object.fromEntries(Object.entries(record).map(([key, value]) => [key, scalarOf(value)]));

export const scalarOf = (scalar: Scalar): StackFileScalar =>
  typeof scalar === 'number' ? scalar : curveOf(scalar);

/** What curves were written as: an edit changes a few of many, and texts of the others are known by these objects. */
const written = new WeakMap<Curve, StackFileCurve>();

export function curveOf(curve: Curve): StackFileCurve {
  let known = written.get(curve);
  if (!known) {
    known = { keys: curve.keys.map(keyOf) };
    written.set(curve, known);
  }
  return known;
}

function keyOf(key: Key): StackFileKey {
  if (key.in || key.out) {
    return [
      key.frame,
      key.value,
      {
        ease: key.ease,
        ...(key.in && { in: [...key.in] as [number, number] }),
        ...(key.out && { out: [...key.out] as [number, number] }),
      },
    ];
  }
  return key.ease === 'smooth' ? [key.frame, key.value] : [key.frame, key.value, key.ease];
}
