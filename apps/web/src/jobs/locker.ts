import { newId } from '@evlay/core';
import type { LockerItem } from '@evlay/core/format';
import { createStore } from 'zustand/vanilla';
import { putLockerItem, readLockerItems, removeLockerItem, type Stored } from '../storage/locker.js';
import { freeName } from '../storage/names.js';
import { storageReason } from '../storage/storage.js';
import { notify } from '../ui/notify.js';

/** What this browser keeps across projects; undefined until it was read. */
export const lockerStore = createStore<{ readonly items: readonly Stored[] | undefined }>(() => ({
  items: undefined,
}));

/** Tells other tabs that the locker has changed. */
const channel = typeof BroadcastChannel === 'undefined' ? undefined : new BroadcastChannel('evlay.locker');
channel?.addEventListener('message', () => void read());

async function read(): Promise<readonly Stored[]> {
  const { items, damaged } = await readLockerItems();
  if (damaged > 0)
    notify({
      title: 'Not all of the locker can be read',
      text: `${damaged} of its things stay as they are.`,
      alarm: true,
    });
  lockerStore.setState({ items });
  return items;
}

/** Reads the locker, unless it was read. What cannot be read is told. */
export async function openLocker(): Promise<readonly Stored[]> {
  const { items } = lockerStore.getState();
  if (items) return items;
  try {
    return await read();
  } catch (error) {
    notify({ title: 'The locker cannot be read', text: storageReason(error), alarm: true });
    lockerStore.setState({ items: [] });
    return [];
  }
}

/** Does something to what is kept, shows it at once, and takes it back where the browser does not take it. */
async function change(
  edit: (items: readonly Stored[]) => readonly Stored[],
  write: () => Promise<void>,
): Promise<boolean> {
  const before = await openLocker();
  lockerStore.setState({ items: edit(before) });
  try {
    await write();
    channel?.postMessage('changed');
    return true;
  } catch (error) {
    lockerStore.setState({ items: before });
    notify({ title: 'It is not in the locker', text: storageReason(error), alarm: true });
    return false;
  }
}

/** Puts things into the locker, each under a name that none of its kind has yet. Says whether they are there. */
export async function putInLocker(things: readonly Omit<LockerItem, 'id'>[]): Promise<boolean> {
  const there = await openLocker();
  const taken = there.map(({ kind, name }) => `${kind} ${name}`);
  const added = Date.now();
  const items = things.map((thing, k): Stored => {
    const name = freeName(`${thing.kind} ${thing.name}`, taken).slice(thing.kind.length + 1);
    taken.push(`${thing.kind} ${name}`);
    return { ...thing, id: newId(), name, added: added - k };
  });
  return change(
    (before) => [...items, ...before],
    async () => {
      for (const item of items) await putLockerItem(item);
    },
  );
}

/** Changes the name or the tags of something. */
export const changeInLocker = (
  item: Stored,
  values: Partial<Pick<Stored, 'name' | 'tags'>>,
): Promise<boolean> => {
  const changed = { ...item, ...values };
  return change(
    (items) => items.map((one) => (one.id === item.id ? changed : one)),
    () => putLockerItem(changed),
  );
};

/** Takes something out; it can be put back. */
export async function takeOutOfLocker(item: Stored): Promise<void> {
  const gone = await change(
    (items) => items.filter(({ id }) => id !== item.id),
    () => removeLockerItem(item.id),
  );
  if (gone)
    notify({
      title: `“${item.name}” is out of the locker`,
      action: {
        label: 'Put it back',
        run: () =>
          void change(
            (items) => [item, ...items].sort((a, b) => b.added - a.added),
            () => putLockerItem(item),
          ),
      },
    });
}
