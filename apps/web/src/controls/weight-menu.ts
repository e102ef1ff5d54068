import type { CurveAddress } from '@evlay/core';
import { keyValues, setValues } from '../commands/keys/values.js';
import { copyTheWeight, fadeHere, pasteTheWeight } from '../commands/stack/weighing.js';
import { item, type MenuEntry } from './context-menu.js';

/** What can be done with weights, the first of which is copied. */
export const weightMenu = (addresses: readonly CurveAddress[]): readonly MenuEntry[] => [
  item(
    setValues,
    addresses.map((address) => ({ address, value: 1 })),
    'Let the layer count in full here',
  ),
  item(
    setValues,
    addresses.map((address) => ({ address, value: 0 })),
    'Let the layer not count here',
  ),
  item(keyValues, addresses, 'Key the weight here'),
  item(fadeHere, { addresses, way: 'in' as const }, 'Fade in from the playhead on'),
  item(fadeHere, { addresses, way: 'out' as const }, 'Fade out from the playhead on'),
  item(copyTheWeight, addresses[0]),
  item(pasteTheWeight, addresses),
];
