import type { Note } from '@evlay/core';

interface NotesProps {
  readonly notes: readonly Note[];
  /** The number that people see for frame 0. */
  readonly first: number;
  readonly onGo: (note: Note) => void;
  readonly onRemove: (id: string) => void;
}

/** The notes that were made, in the order of their frames. */
export function Notes({ notes, first, onGo, onRemove }: NotesProps) {
  return (
    <section aria-label="Notes">
      <h2>Notes</h2>
      {notes.length === 0 && <p className="quiet">None yet: stop at a frame, write, draw or speak.</p>}
      <ul>
        {notes.map((note) => (
          <li key={note.id}>
            <button type="button" className="go" onClick={() => onGo(note)}>
              <b>{first + note.frame}</b> {note.text || (note.strokes.length > 0 ? 'a drawing' : 'spoken')}
            </button>
            {note.voice && (
              // biome-ignore lint/a11y/useMediaCaption: what somebody said into a microphone has no captions
              <audio controls src={`data:${note.voice.type};base64,${note.voice.data}`} />
            )}
            <button
              type="button"
              aria-label={`Take the note at ${first + note.frame} out`}
              onClick={() => onRemove(note.id)}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
