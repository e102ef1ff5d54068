import { z } from 'zod';
import { preferences, usePreference } from '../ui/preferences.js';
import type { Command } from './command.js';

/** A command with keys: its name, and the keys that it has where nobody changed them. */
export type Keyed = Pick<Command, 'name' | 'shortcut'>;

/** Keys that were changed, by the names of commands; an empty text is none. */
export type KeyMap = Readonly<Record<string, string>>;

const inMap = (keys: KeyMap, { name, shortcut }: Keyed): string | undefined =>
  (Object.hasOwn(keys, name) ? keys[name] : shortcut) || undefined;

/** The keys of a command, as they are set. */
export const shortcutOf = (command: Keyed): string | undefined => inMap(preferences.getState().keys, command);

/** The same for a component, which follows when they are changed. */
export const useShortcut = (command: Keyed): string | undefined =>
  usePreference(({ keys }) => inMap(keys, command));

/** Keys as they are compared: their modifiers in one order. */
const normal = (keys: string): string =>
  keys
    .trim()
    .split('+')
    .map((key) => key.trim().toLowerCase())
    .sort()
    .join('+');

const alternatives = (keys: string): string[] => keys.split(',').map(normal);

/** The command of some that has keys already; undefined where none has. */
export function takenBy<C extends Keyed>(commands: readonly C[], keys: string, but: Keyed): C | undefined {
  const wanted = alternatives(keys);
  return commands.find((command) => {
    if (command.name === but.name) return false;
    const own = shortcutOf(command);
    return own !== undefined && alternatives(own).some((one) => wanted.includes(one));
  });
}

/** Gives a command other keys, none where they are empty, or its own again where undefined. */
export function setKeys({ name }: Keyed, keys: string | undefined): void {
  preferences.setState(({ keys: before }) => {
    const { [name]: _, ...others } = before;
    return { keys: keys === undefined ? others : { ...others, [name]: keys } };
  });
}

/** Keys that the browser or the screen itself needs. */
const KEPT = /^(tab|f5|f11|f12|\?|escape)$/i;

/** What was pressed, as Help writes it; undefined for a modifier alone. Throws, in words, for keys that cannot be given. */
export function pressedKeys({
  key,
  code,
  ctrlKey,
  metaKey,
  shiftKey,
  altKey,
}: KeyboardEvent): string | undefined {
  if (['Control', 'Shift', 'Alt', 'Meta', 'AltGraph', 'Dead'].includes(key)) return undefined;
  const letter = /^Key([A-Z])$/.exec(code)?.[1];
  const digit = /^Digit(\d)$/.exec(code)?.[1];
  const named = { ' ': 'Space', ArrowLeft: 'Left', ArrowRight: 'Right', ArrowUp: 'Up', ArrowDown: 'Down' }[
    key
  ];
  const own = letter ?? digit ?? named ?? key;
  if (KEPT.test(own)) throw new Error(`${own} is kept for the browser or the screen: press others`);
  if (own.length === 1 && /[+,]/.test(own))
    throw new Error('Plus and comma cannot be written as keys: press others');
  return [(ctrlKey || metaKey) && 'Ctrl', altKey && 'Alt', shiftKey && 'Shift', own]
    .filter(Boolean)
    .join('+');
}

const keyFile = z.object({ evlayKeys: z.literal(1), keys: z.record(z.string(), z.string()) });

/** Changed keys as a file. */
export const keysToFile = (): string =>
  `${JSON.stringify({ evlayKeys: 1, keys: preferences.getState().keys }, null, 2)}\n`;

/**
 * Takes over changed keys from a file. Throws, in words for people, where it is none, or where two commands would have the
 * same; then nothing has changed.
 */
export function keysFromFile(text: string, commands: readonly Keyed[]): void {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new Error('It is no file of keys: expected what “Save the keys” writes.');
  }
  const read = keyFile.safeParse(json);
  if (!read.success) throw new Error('It is no file of keys: expected what “Save the keys” writes.');
  const seen = new Map<string, string>();
  for (const command of commands)
    for (const keys of alternatives(inMap(read.data.keys, command) ?? '')) {
      const other = keys && seen.get(keys);
      if (other) throw new Error(`${keys} would be both of “${other}” and of “${command.name}”.`);
      seen.set(keys, command.name);
    }
  preferences.setState({ keys: read.data.keys });
}
