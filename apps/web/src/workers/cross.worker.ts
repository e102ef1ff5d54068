import { distanceRows, type Rows } from '@evlay/core/cross';
import { transfer } from 'comlink';
import { serve } from './serve.js';

let held: { readonly a: Rows; readonly b: Rows; readonly reach: number } | undefined;

const api = {
  /** Keeps two performances of which rows will be asked for. */
  hold(a: Rows, b: Rows, reach: number): void {
    held = { a, b, reach };
  },
  /** Distances of the windows around samples `from` to `to` (not included) of the lower performance. */
  rows(from: number, to: number): Float32Array {
    if (!held) return new Float32Array(0);
    const rows = distanceRows(held.a, held.b, held.reach, from, to);
    return transfer(rows, [rows.buffer]);
  },
};

export type CrossApi = typeof api;

serve(api);
