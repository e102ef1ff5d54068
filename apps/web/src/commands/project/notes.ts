import { finished, frameNumber, type Note, type Stroke, strokeOffTrail } from '@evlay/core';
import { addNote, addReview, changeNote, deleteNote } from '@evlay/core/edit';
import { readNotes } from '@evlay/core/format';
import type { Editor } from '../../editor/editor.js';
import type { NotesOpen, Session } from '../../editor/session.js';
import { trailing } from '../../editor/trail-points.js';
import { notify } from '../../ui/notify.js';
import { command, perform } from '../command.js';

/** Colours of strokes, which stand out over the scene, and what they are called. */
export const INK_NAMES = ['warm yellow', 'white', 'red', 'blue', 'green'];
export const INKS = ['#FFC857', '#EAF1EC', '#FF7A66', '#56B4E9', '#4FD1A5'];

const OPENED: NotesOpen = {
  drawing: false,
  strokes: [],
  ink: INKS[0],
  around: 0,
  done: false,
  without: [],
};

/** Opens the notes of the project in the right column; puts them away where they are open. */
export const openNotes = command({
  name: 'Show the notes',
  palette: 'Play and project',
  looks: true,
  run({ session }) {
    if (session.getState().notes) session.setState({ notes: undefined });
    else showNotes(session);
  },
});

/** Opens the notes; what is drawn there stays. */
const showNotes = (session: Session): void =>
  session.setState(({ notes }) => ({
    crossing: undefined,
    merging: undefined,
    kit: undefined,
    film: undefined,
    review: undefined,
    notes: notes ?? OPENED,
  }));

export const closeNotes = command({
  name: 'Leave the notes',
  palette: 'Play and project',
  looks: true,
  run: ({ session }) => session.setState({ notes: undefined }),
});

/** Draws over the view for the next note, or stops that. */
export const drawForNote = command<boolean>({
  name: 'Draw over the view',
  looks: true,
  run({ session }, drawing) {
    const { notes } = session.getState();
    if (notes) session.setState({ playing: false, notes: { ...notes, drawing } });
  },
});

/** What is drawn for the next note, over a reference by its name or over the view. */
export interface NoteDrawing {
  readonly strokes: readonly Stroke[];
  readonly over?: string;
}

/** Sets what is drawn for the next note: it is of one picture. */
export const setNoteStrokes = command<NoteDrawing>({
  name: 'Draw a stroke',
  looks: true,
  run({ session }, { strokes, over }) {
    const { notes } = session.getState();
    if (notes) session.setState({ notes: { ...notes, strokes, over } });
  },
});

/** Says which notes are seen over the view: of how many frames around, and whether those that are done are. */
export const seeNotes = command<Partial<Pick<NotesOpen, 'around' | 'done' | 'ink' | 'without'>>>({
  name: 'Choose which notes are seen',
  looks: true,
  run({ session }, values) {
    const { notes } = session.getState();
    if (notes) session.setState({ notes: { ...notes, ...values } });
  },
});

/** The field of view of the view, in degrees. */
const VIEWED = 32;

/** What is measured of the last stroke that is seen here, against the trail of the joint that was picked last. */
export const strokeAgainstTrail = command<(said: string) => void>({
  name: 'Measure the stroke against the trail of the joint',
  looks: true,
  refusal(editor) {
    const { picked } = editor.session.getState();
    if (!strokeHere(editor)) return { reason: 'Draw an arc over the view first' };
    return picked.length > 0 ? undefined : { reason: 'Pick the joint that is to follow it first' };
  },
  run(editor, say) {
    const { picked } = editor.session.getState();
    const joint = picked[picked.length - 1];
    const { onPicture } = editor;
    const stroke = strokeHere(editor);
    if (!onPicture || !stroke) return;
    editor.session.setState({ trails: true });
    const { from, count, result } = finished(trailing(editor, [joint]));
    const trail = result.get(joint)!;
    const points = new Float64Array(3 * count);
    for (let k = 0; k < count; k++) points.set(onPicture(trail.subarray(3 * k, 3 * k + 3)), 3 * k);
    const off = strokeOffTrail(stroke.points, { points, first: from });
    if (!off) return say('The trail is not seen from here.');
    const project = editor.history.project();
    const cm = (length: number) => (100 * length * project.metresPerUnit).toFixed(1);
    const { name } = project.rig.joints[joint];
    say(
      `${name} goes ${cm(off.mean)} cm beside it on average, ${cm(off.most)} cm at most, at ${Math.round(frameNumber(project, off.at))}.`,
    );
  },
});

/** The stroke over the view that was drawn last for the next note, or by the last note of this frame. */
function strokeHere({ session, history, playhead }: Editor): Stroke | undefined {
  const { notes } = session.getState();
  const drawn = notes?.over === undefined ? notes?.strokes : undefined;
  if (drawn && drawn.length > 0) return drawn[drawn.length - 1];
  const frame = Math.round(playhead.get());
  return history
    .project()
    .notes.filter((note) => note.over === undefined && note.frame === frame)
    .flatMap(({ strokes }) => strokes)
    .at(-1);
}

/** Notes something at the playhead, with what was drawn, seen from where the view looks. */
export const noteHere = command<{ readonly text: string; readonly by: string }>({
  name: 'Add a note at the playhead',
  refusal({ session }, { text }) {
    const drawn = session.getState().notes?.strokes.length ?? 0;
    return text.trim() === '' && drawn === 0 ? { reason: 'Write or draw something first' } : undefined;
  },
  run({ session, playhead, viewpoint }, { text, by }, change) {
    const { notes, variant, through } = session.getState();
    const look = through === undefined ? viewpoint?.() : undefined;
    change((project) =>
      addNote(project, {
        frame: Math.round(playhead.get()),
        by,
        text: text.trim(),
        strokes: notes?.strokes ?? [],
        ...(notes?.over !== undefined && { over: notes.over }),
        ...(look && { view: { from: look.from, at: look.at, fov: VIEWED } }),
        ...(variant !== undefined && { variant }),
      }),
    );
    if (notes) session.setState({ notes: { ...notes, drawing: false, strokes: [], over: undefined } });
  },
});

export const answerNote = command<{ readonly id: string; readonly answer: string }>({
  name: 'Answer a note',
  run: (_, { id, answer }, change) =>
    change((project) => changeNote(project, id, { answer: answer.trim() || undefined })),
});

/** Says that a note is done, or open again. */
export const settleNote = command<{ readonly id: string; readonly done: boolean }>({
  name: 'Say that a note is done',
  run: (_, { id, done }, change) =>
    change((project) => changeNote(project, id, { done: done ? true : undefined })),
});

export const removeNote = command<string>({
  name: 'Take the note out',
  run: (_, id, change) => change((project) => deleteNote(project, id)),
});

/** Goes to the frame of a note, and looks from where it was made. */
export const goToNote = command<Note>({
  name: 'Go to the note',
  looks: true,
  run({ session, transport, events, history }, { frame, view, variant }) {
    showNotes(session);
    session.setState({ playing: false });
    const known = history.project().variants.some(({ name }) => name === variant);
    if (variant === undefined || known) session.setState({ variant });
    transport.goTo(frame);
    if (view && session.getState().through === undefined) events.emit('lookFrom', view);
  },
});

/** Takes in notes that came back of a review. */
export const takeInNotes = command<ReturnType<typeof readNotes>>({
  name: 'Take in notes',
  run(editor, file, change) {
    let variant: string | undefined;
    change((project) => {
      const added = addReview(project, file);
      variant = added.variant;
      return added.project;
    });
    showNotes(editor.session);
    const count = file.notes.length;
    notify({
      title: `${count} ${count === 1 ? 'note' : 'notes'} of ${file.by || 'a review'}`,
      text: variant === undefined ? '' : `What was turned is the variant “${variant}”.`,
    });
  },
});

/** Reads a file of notes that was dropped; says what is wrong with it. */
export async function notesFromFile(editor: Editor, file: File): Promise<void> {
  try {
    perform(editor, takeInNotes, readNotes(file.name, new Uint8Array(await file.arrayBuffer())));
  } catch (error) {
    notify({ title: 'The notes were not taken in', text: (error as Error).message, alarm: true });
  }
}
