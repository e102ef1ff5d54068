import type { LockerItem } from '@evlay/core/format';
import localforage from 'localforage';

/** What this browser keeps across projects: one record for each thing, which is written whole or not at all. */
const locker = localforage.createInstance({ name: 'evlay', storeName: 'locker' });

/** A record as it is kept, with when it was put in. */
export interface Stored extends LockerItem {
  readonly added: number;
}

const isStored = (value: unknown): value is Stored => {
  const { id, kind, name, file, bytes } = (value ?? {}) as Partial<Stored>;
  return [id, kind, name, file].every((text) => typeof text === 'string') && bytes instanceof Uint8Array;
};

/** All that can be read of the locker, the last put in first; how many records cannot be read, which stay as they are. */
export async function readLockerItems(): Promise<{ items: Stored[]; damaged: number }> {
  const items: Stored[] = [];
  let damaged = 0;
  await locker.iterate<unknown, void>((value) => {
    if (isStored(value)) items.push(value);
    else damaged++;
  });
  return { items: items.sort((a, b) => b.added - a.added || (a.name < b.name ? -1 : 1)), damaged };
}

export const putLockerItem = async (item: Stored): Promise<void> => {
  await locker.setItem(item.id, item);
};

export const removeLockerItem = (id: string): Promise<void> => locker.removeItem(id);
