import { beforeEach, describe, expect, it } from 'vitest';
import { keysFromFile, keysToFile, setKeys, shortcutOf, takenBy } from '../src/commands/key-map.js';
import { LAYER_SHORTCUTS, PROJECT_SHORTCUTS, TRANSPORT_SHORTCUTS } from '../src/commands/shortcuts.js';
import { preferences } from '../src/ui/preferences.js';

const ALL = [...TRANSPORT_SHORTCUTS, ...LAYER_SHORTCUTS, ...PROJECT_SHORTCUTS];
const of = (keys: string) => ALL.find(({ shortcut }) => shortcut === keys)!;

describe('keys of commands', () => {
  beforeEach(() => preferences.setState({ keys: {} }));

  it('are no two the same, and none without', () => {
    for (const command of ALL) {
      expect(shortcutOf(command), command.name).toBeDefined();
      expect(takenBy(ALL, shortcutOf(command)!, command)?.name, command.name).toBeUndefined();
    }
  });

  it('are changed, taken off and set back, and tell who has them in whatever order they are pressed', () => {
    setKeys(of('C'), 'Shift+U');
    expect(shortcutOf(of('C'))).toBe('Shift+U');
    expect(takenBy(ALL, 'u + shift', of('T'))).toBe(of('C'));
    expect(takenBy(ALL, 'C', of('T'))).toBeUndefined();
    setKeys(of('Ctrl+Z'), '');
    expect(shortcutOf(of('Ctrl+Z'))).toBeUndefined();
    expect(takenBy(ALL, 'Ctrl+Z', of('C'))).toBeUndefined();
    // One of several that a command has is taken too.
    expect(takenBy(ALL, 'Backspace', of('C'))).toBe(of('Delete, Backspace'));
    setKeys(of('Ctrl+Z'), undefined);
    expect(shortcutOf(of('Ctrl+Z'))).toBe('Ctrl+Z');
  });

  it('come back from their file, and a bad one changes nothing', () => {
    setKeys(of('C'), 'Shift+U');
    setKeys(of('T'), 'C');
    const file = keysToFile();
    preferences.setState({ keys: {} });
    keysFromFile(file, ALL);
    expect([shortcutOf(of('C')), shortcutOf(of('T'))]).toEqual(['Shift+U', 'C']);
    const before = preferences.getState().keys;
    for (const [text, why] of [
      ['no json', /no file of keys/],
      ['{"keys":{}}', /no file of keys/],
      [JSON.stringify({ evlayKeys: 1, keys: { [of('C').name]: 'shift+t' } }), /would be both of/],
    ] as const) {
      expect(() => keysFromFile(text, ALL)).toThrow(why);
      expect(preferences.getState().keys).toBe(before);
    }
  });
});
