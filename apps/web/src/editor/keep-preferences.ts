import { preferences } from '../ui/preferences.js';
import type { Editor } from './editor.js';
import type { SessionState } from './session.js';

/** What of a session is a matter of taste and not of a project: it is the same in the next one, and after a reload. */
const KEPT = [
  'autoKey',
  'limbLinked',
  'loop',
  'mapFold',
  'faceList',
  'wideNames',
  'surface',
  'drivenBy',
  'surroundings',
  'follow',
  'hiddenFindings',
  'findingMarks',
  'followsPlayhead',
  'ownScales',
  'turnAxes',
  'moveAxes',
  'snap',
  'snapAngle',
  'snapLength',
  'handleSize',
  'wholeRange',
  'endKeepsAngle',
  'feetStay',
] as const satisfies readonly (keyof SessionState)[];

const keptOf = (state: SessionState): Record<string, unknown> =>
  Object.fromEntries(KEPT.map((name) => [name, state[name]]));

/** Gives an editor what was kept, as far as it is of the kind that it has, and keeps what is changed from then on. */
export function keepPreferences({ session }: Editor): () => void {
  const now = session.getState();
  const { session: kept } = preferences.getState();
  session.setState(
    Object.fromEntries(
      KEPT.flatMap((name) => (typeof kept[name] === typeof now[name] ? [[name, kept[name]]] : [])),
    ),
  );
  return session.subscribe((state, before) => {
    if (KEPT.some((name) => state[name] !== before[name])) preferences.setState({ session: keptOf(state) });
  });
}
