import { Box, Button, chakra, Input, Text } from '@chakra-ui/react';
import { Radio, X } from 'lucide-react';
import { useEffect, useState } from 'react';
import { useStore } from 'zustand';
import { useEditor } from '../editor/context.js';
import { setSelection } from '../editor/session.js';
import { keepRecording, type Listening, listen, listening, record, stopListening } from '../jobs/listen.js';
import { preferences } from '../ui/preferences.js';
import { ToolButton } from '../ui/ToolButton.js';

/** Listens to a capture stage: the character moves as it is captured, and what is recorded becomes a take. */
export function Listen() {
  const editor = useEditor();
  const heard = useStore(listening);
  const [open, setOpen] = useState(false);
  const address = useStore(preferences, (state) => state.stage);
  useEffect(() => () => stopListening(), []);
  const close = () => {
    stopListening();
    setOpen(false);
  };
  if (!open)
    return <ToolButton label="Listen to a capture stage" icon={Radio} onClick={() => setOpen(true)} />;
  const on = heard.state === 'live' || heard.state === 'connecting';
  return (
    <Box
      as="section"
      aria-label="Capture stage"
      bg="panel"
      borderRadius="l2"
      p="2"
      mb="2"
      width="100%"
      order="9"
    >
      <Box display="flex" alignItems="center" gap="2">
        <Text fontWeight="600" flex="1">
          Capture stage
        </Text>
        <ToolButton label="Leave the capture stage" icon={X} onClick={close} />
      </Box>
      <chakra.form
        display="flex"
        gap="1"
        mt="1"
        onSubmit={(event) => {
          event.preventDefault();
          listen(editor, address);
        }}
      >
        <Input
          size="xs"
          aria-label="Address of the stage"
          value={address}
          onChange={({ target }) => preferences.setState({ stage: target.value })}
        />
        <Button type="submit" size="xs" variant="outline" borderColor="line" color="text">
          {on ? 'Anew' : 'Listen'}
        </Button>
      </chakra.form>
      <Text mt="1" color={heard.state === 'failed' ? 'alarm' : 'quiet'} role="status">
        {saidOf(heard)}
      </Text>
      {(on || heard.recording) && (
        <Button
          mt="1"
          size="xs"
          bg={heard.recording ? 'alarm' : 'lamp'}
          color="onLamp"
          disabled={heard.state === 'connecting'}
          onClick={() =>
            heard.recording
              ? keepRecording((take) => {
                  stopListening();
                  setSelection(editor.session, { take });
                })
              : record()
          }
        >
          {heard.recording ? 'Stop and keep it' : 'Record'}
        </Button>
      )}
    </Box>
  );
}

/** What is heard, in words. */
function saidOf({ state, reason, name, fps, came, lost, weak, recording }: Listening): string {
  if (state === 'off') return 'The character moves as it is captured; what is recorded becomes a take.';
  if (state === 'failed') return `${reason}.`;
  if (state === 'connecting') return 'Waiting for the stage …';
  const samples = `${came} ${came === 1 ? 'sample' : 'samples'}${lost > 0 ? `, ${lost} lost` : ''}${weak > 0 ? `, ${weak} weak` : ''}`;
  const what = recording ? 'recording' : state === 'ended' ? 'ended' : 'live';
  return `${name}, ${Number((fps ?? 0).toFixed(2))} a second, ${what}: ${samples}`;
}
