import { Box, chakra, Text } from '@chakra-ui/react';
import { RotateCcw, X } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import {
  type Keyed,
  keysFromFile,
  keysToFile,
  pressedKeys,
  setKeys,
  takenBy,
  useShortcut,
} from '../commands/key-map.js';
import { Choice } from '../ui/Choice.js';
import { download } from '../ui/download.js';
import { notify } from '../ui/notify.js';
import { preferences, usePreference } from '../ui/preferences.js';
import { ToolButton } from '../ui/ToolButton.js';

interface KeyTableProps {
  /** All commands that have keys, and those of them that are shown. */
  readonly commands: readonly Keyed[];
  readonly shown: readonly Keyed[];
}

/** Commands with their keys, each of which can be given others; kept in this browser, and saved to a file. */
export function KeyTable({ commands, shown }: KeyTableProps) {
  const changed = usePreference(({ keys }) => Object.keys(keys).length);
  const file = useRef<HTMLInputElement>(null);
  const load = async (chosen: File) => {
    try {
      keysFromFile(await chosen.text(), commands);
    } catch (error) {
      notify({ title: `${chosen.name} was not taken over`, text: (error as Error).message, alarm: true });
    }
  };
  return (
    <>
      <Box display="flex" gap="2" alignItems="center" mb="2">
        <Text color="quiet" flex="1">
          Click keys to press others in their place.
        </Text>
        <input
          ref={file}
          type="file"
          accept=".json"
          hidden
          aria-label="File of keys"
          onChange={({ target }) => {
            const [chosen] = target.files ?? [];
            if (chosen) void load(chosen);
            target.value = '';
          }}
        />
        <Choice on={false} onClick={() => file.current?.click()}>
          load keys
        </Choice>
        <Choice on={false} onClick={() => download('evlay-keys.json', [keysToFile()], 'application/json')}>
          save the keys
        </Choice>
        <Choice on={false} disabled={changed === 0} onClick={() => preferences.setState({ keys: {} })}>
          all as they were
        </Choice>
      </Box>
      <Box as="ul" listStyleType="none" aria-label="Keys">
        {shown.map((command) => (
          <KeyRow key={command.name} command={command} commands={commands} />
        ))}
        <Box as="li" display="flex" gap="3" py="1">
          <Text fontFamily="mono" width="200px" flex="none" px="2">
            ?
          </Text>
          <Text>Open this page; Escape leads back</Text>
        </Box>
      </Box>
    </>
  );
}

function KeyRow({ command, commands }: { command: Keyed; commands: readonly Keyed[] }) {
  const keys = useShortcut(command);
  const changed = usePreference(({ keys: all }) => Object.hasOwn(all, command.name));
  const [hearing, setHearing] = useState(false);
  const [refused, setRefused] = useState<string>();
  useEffect(() => {
    if (!hearing) return;
    const press = (event: KeyboardEvent) => {
      event.preventDefault();
      event.stopPropagation();
      if (event.key === 'Escape') return setHearing(false);
      try {
        const pressed = pressedKeys(event);
        if (pressed === undefined) return;
        const other = takenBy(commands, pressed, command);
        if (other) return setRefused(`${pressed} is of “${other.name}”: give that other keys first`);
        setKeys(command, pressed === command.shortcut ? undefined : pressed);
        setHearing(false);
      } catch (error) {
        setRefused((error as Error).message);
      }
    };
    window.addEventListener('keydown', press, true);
    return () => window.removeEventListener('keydown', press, true);
  }, [hearing, command, commands]);
  return (
    <Box as="li" display="flex" gap="3" py="1" alignItems="center" minHeight="32px">
      <chakra.button
        type="button"
        aria-label={`Keys of “${command.name}”: ${keys ?? 'none'}`}
        onClick={() => {
          setRefused(undefined);
          setHearing(!hearing);
        }}
        onBlur={() => setHearing(false)}
        width="200px"
        flex="none"
        minHeight="26px"
        px="2"
        textAlign="left"
        fontFamily="mono"
        borderWidth="1px"
        borderRadius="l1"
        borderColor={hearing ? 'lamp' : 'transparent'}
        color={changed ? 'lamp' : 'text'}
        cursor="pointer"
        _hover={{ borderColor: 'line' }}
      >
        {hearing ? 'press keys …' : (keys ?? 'none')}
      </chakra.button>
      <Text flex="1">
        {command.name}
        {refused && (
          <Text as="span" color="alarm" role="alert" display="block">
            {refused}
          </Text>
        )}
      </Text>
      {keys && (
        <ToolButton
          label={`Take the keys off “${command.name}”`}
          icon={X}
          onClick={() => setKeys(command, '')}
        />
      )}
      {changed && (
        <ToolButton
          label={`The usual keys of “${command.name}”`}
          icon={RotateCcw}
          onClick={() => {
            const other = command.shortcut && takenBy(commands, command.shortcut, command);
            if (other)
              setRefused(`${command.shortcut} is of “${other.name}” now: give that other keys first`);
            else setKeys(command, undefined);
          }}
        />
      )}
    </Box>
  );
}
