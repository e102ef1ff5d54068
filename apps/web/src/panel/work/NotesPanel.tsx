import { Box, Button, chakra, Input, Text } from '@chakra-ui/react';
import { frameNumber, type Note, type Voice } from '@evlay/core';
import { Check, Trash2, Undo2 } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import { perform } from '../../commands/command.js';
import {
  answerNote,
  closeNotes,
  drawForNote,
  goToNote,
  INK_NAMES,
  INKS,
  noteHere,
  removeNote,
  seeNotes,
  setNoteStrokes,
  settleNote,
  strokeAgainstTrail,
} from '../../commands/project/notes.js';
import { openReview } from '../../commands/view/review.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { NameField } from '../../ui/NameField.js';
import { preferences, usePreference } from '../../ui/preferences.js';
import { Row } from '../../ui/Row.js';
import { WorkPanel } from './WorkPanel.js';

/** What people said about frames: gone to, answered, done or open; and a new one with a drawing. */
export function NotesPanel() {
  const editor = useEditor();
  const notes = useProject((project) => project.notes);
  const seen = useSession((state) => state.notes);
  const [text, setText] = useState('');
  const [measured, setMeasured] = useState<string>();
  const name = usePreference((state) => state.name);
  const strokes = seen?.strokes;
  const picked = useSession((state) => state.picked);
  // What was measured was of another stroke, or of another joint.
  // biome-ignore lint/correctness/useExhaustiveDependencies: whichever of them changes
  useEffect(() => setMeasured(undefined), [strokes, picked]);
  if (!seen) return null;
  const open = notes.filter(({ done }) => !done);
  const shown = (seen.done ? notes : open).filter(({ by }) => !seen.without.includes(by));
  const people = [...new Set(notes.map(({ by }) => by))].sort();
  const add = () => {
    if (perform(editor, noteHere, { text, by: name })) setText('');
  };
  return (
    <WorkPanel
      label="Notes"
      help="Show"
      leave={closeNotes.name}
      onLeave={() => perform(editor, closeNotes, undefined)}
      extra={
        <Text color="quiet" fontSize="12px">
          {open.length} open of {notes.length}
        </Text>
      }
      foot={
        <Box flex="1" display="flex" flexDirection="column" gap="1.5">
          <Input
            size="xs"
            aria-label="A note at the playhead"
            placeholder="a note at the playhead"
            maxLength={4000}
            value={text}
            onChange={({ target }) => setText(target.value)}
            onKeyDown={(event) => {
              event.stopPropagation();
              if (event.key === 'Enter') add();
            }}
          />
          {seen.drawing && (
            <Box display="flex" gap="2" alignItems="center">
              <Inks ink={seen.ink} />
              {seen.strokes.length > 0 && (
                <CommandButton
                  command={setNoteStrokes}
                  arg={{ strokes: seen.strokes.slice(0, -1), over: seen.over }}
                  label="Take the last stroke back"
                  icon={Undo2}
                />
              )}
            </Box>
          )}
          <Box display="flex" gap="2" alignItems="center">
            <CommandChoice command={drawForNote} arg={!seen.drawing} on={seen.drawing}>
              draw
            </CommandChoice>
            <Input
              size="xs"
              flex="1"
              aria-label="Your name, which stands with your notes"
              placeholder="your name"
              maxLength={80}
              value={name}
              onChange={({ target }) => preferences.setState({ name: target.value })}
              onKeyDown={(event) => event.stopPropagation()}
            />
            <Button
              size="xs"
              bg="lamp"
              color="onLamp"
              disabled={text.trim() === '' && seen.strokes.length === 0}
              onClick={add}
            >
              Add the note
            </Button>
          </Box>
        </Box>
      }
    >
      <Row label="seen">
        <LocalNumber
          label="Frames around at which drawings are seen"
          read={() => seen.around}
          min={0}
          step={1}
          decimals={0}
          width="40px"
          onChange={(around) => perform(editor, seeNotes, { around: Math.max(0, Math.round(around)) })}
        />
        <Text color="quiet">frames around the playhead</Text>
      </Row>
      <Row label="">
        <CommandChoice command={seeNotes} arg={{ done: !seen.done }} on={seen.done}>
          done ones too
        </CommandChoice>
        <CommandChoice command={openReview} arg={undefined} on={false} title={openReview.name}>
          review file …
        </CommandChoice>
      </Row>
      {people.length > 1 && (
        <Row label="of">
          <Box display="flex" flexWrap="wrap" gap="1">
            {people.map((by) => (
              <CommandChoice
                key={by}
                command={seeNotes}
                arg={{
                  without: seen.without.includes(by)
                    ? seen.without.filter((one) => one !== by)
                    : [...seen.without, by],
                }}
                on={!seen.without.includes(by)}
              >
                {by || 'somebody'}
              </CommandChoice>
            ))}
          </Box>
        </Row>
      )}
      <Row label="arc">
        <CommandChoice
          command={strokeAgainstTrail}
          arg={setMeasured}
          on={false}
          title="How far the trail of the picked joint goes beside the stroke that was drawn last"
        >
          against the trail
        </CommandChoice>
      </Row>
      {measured && (
        <Text color="quiet" role="status">
          {measured}
        </Text>
      )}
      {shown.length === 0 && (
        <Text color="quiet">
          {notes.length === 0
            ? 'None yet. Write or draw one below, or drop a file that came back of a review.'
            : 'All are done.'}
        </Text>
      )}
      <Box as="ul" listStyleType="none" aria-label="Notes" display="flex" flexDirection="column" gap="2">
        {shown.map((note) => (
          <NoteItem key={note.id} note={note} />
        ))}
      </Box>
    </WorkPanel>
  );
}

/** The colours in which strokes are drawn. */
function Inks({ ink }: { ink: string }) {
  const editor = useEditor();
  return (
    <Box role="group" aria-label="Colour of the strokes" display="flex" gap="0.5">
      {INKS.map((one, k) => (
        <chakra.button
          key={one}
          type="button"
          aria-label={INK_NAMES[k]}
          aria-pressed={one === ink}
          title={`Draw in ${INK_NAMES[k]}`}
          width="18px"
          height="18px"
          borderRadius="l1"
          borderWidth="2px"
          borderColor={one === ink ? 'text' : 'transparent'}
          bg={one}
          cursor="pointer"
          onClick={() => perform(editor, seeNotes, { ink: one })}
        />
      ))}
    </Box>
  );
}

function NoteItem({ note }: { note: Note }) {
  const editor = useEditor();
  const number = useProject((project) => frameNumber(project, note.frame));
  const { id, by, text, strokes, over, voice, answer, done } = note;
  return (
    <Box as="li" bg="raised" borderRadius="l1" px="2" py="1.5" opacity={done ? 0.7 : 1}>
      <Box display="flex" gap="2" alignItems="center">
        <chakra.button
          type="button"
          flex="1"
          minWidth="0"
          textAlign="left"
          cursor="pointer"
          onClick={() => perform(editor, goToNote, note)}
          aria-label={`Go to the note at ${number}: ${text}`}
        >
          <chakra.span color="lamp" fontFamily="mono" mr="2">
            {number}
          </chakra.span>
          <chakra.span fontWeight="600">{by || 'somebody'}</chakra.span>
          {strokes.length > 0 && (
            <chakra.span color="quiet"> drew{over === undefined ? '' : ` over ${over}`}</chakra.span>
          )}
        </chakra.button>
        <CommandButton
          command={settleNote}
          arg={{ id, done: !done }}
          label={done ? `Open the note at ${number} again` : `The note at ${number} is done`}
          icon={Check}
          on={done === true}
        />
        <CommandButton command={removeNote} arg={id} label={`Take the note at ${number} out`} icon={Trash2} />
      </Box>
      {text !== '' && (
        <Text whiteSpace="pre-wrap" overflowWrap="anywhere">
          {text}
        </Text>
      )}
      {voice && <Said voice={voice} />}
      <NameField
        label={`Answer to the note at ${number}`}
        name={answer ?? ''}
        placeholder="answer"
        onRename={(to) => perform(editor, answerNote, { id, answer: to })}
        width="100%"
        mt="1"
        px="1"
        color="quiet"
        bg="transparent"
        borderBottomWidth="1px"
        borderColor="line"
      />
    </Box>
  );
}

/** What was said, to be heard. */
function Said({ voice: { type, data } }: { voice: Voice }) {
  const url = useMemo(() => {
    const bytes = Uint8Array.from(atob(data), (char) => char.charCodeAt(0));
    return URL.createObjectURL(new Blob([bytes], { type }));
  }, [type, data]);
  useEffect(() => () => URL.revokeObjectURL(url), [url]);
  // biome-ignore lint/a11y/useMediaCaption: what somebody said into a microphone has no captions
  return <audio controls src={url} style={{ width: '100%', height: 32 }} />;
}
