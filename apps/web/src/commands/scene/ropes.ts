import { hangAsRope, type Tied } from '@evlay/core/edit';
import { type RopeKind, ropeFile } from '@evlay/core/format';
import { rigHeight } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { addCharacterAndTell } from '../../jobs/add-character.js';
import { command } from '../command.js';

const NAMES: Record<RopeKind, string> = { rope: 'Rope', chain: 'Chain' };
/** How much longer it is than the way between its ends. */
const SLACK = 1.3;
/** How long it is where it stands by itself, in heights of the lit character, and how far its ends are apart, as a part of that. */
const LONG = 1;
const APART = 0.6;
/** How thick, as a part of the length, and how long a link is, as a part of the length of a chain and in thicknesses of a rope at most. */
const THICK = 0.016;
const CHAIN_LINKS = 40;
const ROPE_LINKS = 28;

/** What of what is picked a rope would be tied to: the two that were picked last, or the one. */
function tiedTo({ history, session }: Editor): Tied {
  const { rig } = history.project();
  const [from, to] = session
    .getState()
    .picked.slice(-2)
    .map((j) => rig.joints[j].name);
  return { ...(from !== undefined && { from }), ...(to !== undefined && { to }) };
}

/** A command that puts a rope or a chain into the scene, which hangs between the picked joints or props. */
const hanging = (kind: RopeKind) =>
  command({
    name: `Hang a ${kind} between the picked joints or props, or put one by itself`,
    palette: 'Handles and view',
    later: true,
    run: (editor) => addRope(editor, kind),
  });

export const hangRope = hanging('rope');
export const hangChain = hanging('chain');

function addRope(editor: Editor, kind: RopeKind): void {
  const { stage, session } = editor;
  const { matrices, project } = stage.get();
  const tied = tiedTo(editor);
  const [a, b] = session.getState().picked.slice(-2);
  const place = (j: number) => matrices.subarray(16 * j + 12, 16 * j + 15);
  const way =
    a !== undefined && b !== undefined ? place(b).map((value, axis) => value - place(a)[axis]) : undefined;
  const { metresPerUnit } = project;
  const alone = LONG * rigHeight(project.scene.characters[0].rig) * metresPerUnit;
  const metres = (value: number) => value * metresPerUnit;
  const length = way ? Math.max(SLACK * metres(Math.hypot(...way)), 0.05 * alone) : alone;
  const bytes = ropeFile({
    kind,
    length,
    thickness: THICK * Math.max(length, alone),
    links: kind === 'rope' ? ROPE_LINKS : CHAIN_LINKS,
    across: way ? metres(Math.hypot(way[0], way[2])) : APART * length,
    up: way ? metres(way[1]) : 0,
  });
  const name = NAMES[kind];
  const file = new File([bytes as Uint8Array<ArrayBuffer>], `${name}.glb`);
  void addCharacterAndTell(editor, [{ path: file.name, file }], (came, character) =>
    hangAsRope(came, character, tied),
  );
}
