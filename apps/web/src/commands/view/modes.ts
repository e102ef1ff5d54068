import type { SessionState } from '../../editor/session.js';
import { command } from '../command.js';

/** A way of working that changes what the hand does: its word, and how it is left. */
export interface Mode {
  readonly word: string;
  readonly leave: Partial<SessionState>;
  /** Whether Escape leaves it before it lets go of what is picked. */
  readonly passing: boolean;
}

/** The modes that are on, those that pass first. */
export function modesOf(state: SessionState): readonly Mode[] {
  const {
    touching,
    brush,
    drawing,
    touchUp,
    autoKey,
    placing,
    moveAxes,
    turnAxes,
    handle,
    symmetric,
    notes,
  } = state;
  const axes = handle === 'move' ? moveAxes : turnAxes;
  const usual = handle === 'move' ? 'world' : 'joint';
  const modes: (Mode | false)[] = [
    touching && { word: 'onto a surface: click it', leave: { touching: false }, passing: true },
    notes?.drawing === true && {
      word: 'drawing a note',
      leave: { notes: { ...notes, drawing: false } },
      passing: true,
    },
    brush && { word: 'brush', leave: { brush: false }, passing: true },
    drawing && { word: 'drawing weights', leave: { drawing: false }, passing: true },
    placing && { word: 'placing the performance', leave: { placing: false }, passing: true },
    touchUp !== undefined && {
      word: touchUp.neighbours > 0 ? `touch-up, soft over ${touchUp.neighbours}` : 'touch-up',
      leave: { touchUp: undefined },
      passing: true,
    },
    symmetric && { word: 'both sides', leave: { symmetric: false }, passing: false },
    axes !== usual && {
      word: `in the axes of the ${axes}`,
      leave: handle === 'move' ? { moveAxes: 'world' } : { turnAxes: 'joint' },
      passing: false,
    },
    !autoKey && { word: 'auto key off', leave: { autoKey: true }, passing: false },
  ];
  return modes.filter((mode) => mode !== false);
}

/** Leaves a mode. */
export const leaveMode = command<Mode>({
  name: 'Leave the mode',
  looks: true,
  run: ({ session }, { leave }) => session.setState(leave),
});
