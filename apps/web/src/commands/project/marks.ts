import type { TimeMark } from '@evlay/core';
import { addMark, changeMark, deleteMark, followEvents } from '@evlay/core/edit';
import { command } from '../command.js';

/** A name for a new mark that no other one has. */
function freeName(marks: readonly TimeMark[]): string {
  for (let n = marks.length + 1; ; n++)
    if (!marks.some(({ name }) => name === `Mark ${n}`)) return `Mark ${n}`;
}

/** Marks the frame at the playhead; one that is marked already loses its mark. */
export const markFrame = command({
  name: 'Mark the frame, or take its mark away',
  palette: 'Play and project',
  shortcut: 'Shift+G',
  run({ history, playhead }, _, change) {
    const frame = playhead.get();
    const there = history.project().marks.find((mark) => mark.frame === frame);
    change((project) =>
      there ? deleteMark(project, there.id) : addMark(project, frame, freeName(project.marks)),
    );
  },
});

export const moveMark = command<{ id: string; frame: number }>({
  name: 'Move a mark',
  run: (_, { id, frame }, change) => change((project) => followEvents(changeMark(project, id, { frame }))),
});

export const renameMark = command<{ id: string; name: string }>({
  name: 'Rename a mark',
  run(_, { id, name }, change) {
    const given = name.trim();
    if (given) change((project) => changeMark(project, id, { name: given }));
  },
});

export const removeMark = command<string>({
  name: 'Take the mark away',
  run: (_, id, change) => change((project) => deleteMark(project, id)),
});

/** Goes to the mark before or after the playhead. */
const toMark = (name: string, shortcut: string, by: 1 | -1) =>
  command({
    name,
    palette: 'Play and project',
    shortcut,
    looks: true,
    refusal: ({ history }) =>
      history.project().marks.length === 0
        ? { reason: 'No frame is marked: press Shift+G to mark one' }
        : undefined,
    run({ history, playhead, transport }) {
      const { marks } = history.project();
      const now = playhead.get();
      const next =
        by > 0
          ? marks.find(({ frame }) => frame > now + 1e-6)
          : marks.findLast(({ frame }) => frame < now - 1e-6);
      if (next) transport.goTo(next.frame);
    },
  });

export const toMarkBefore = toMark('Go to the mark before', 'Ctrl+Shift+Left', -1);
export const toMarkAfter = toMark('Go to the mark after', 'Ctrl+Shift+Right', 1);
