import { setLimb } from '@evlay/core/edit';
import { bendAtRest, type LimbShape, limbRefusal } from '@evlay/core/rig';
import { chainOf } from '@evlay/core/solve';
import type { Editor } from '../../editor/editor.js';
import { command, type Refusal } from '../command.js';

/** Says what a limb of the character is; null that there is none; undefined leaves it to what is found. */
export const changeLimb = command<{
  readonly name: string;
  readonly limb: LimbShape | null | undefined;
}>({
  name: 'Change a limb',
  refusal({ history }, { limb }) {
    const reason = limb ? limbRefusal(history.project().rig, limb) : undefined;
    return reason === undefined ? undefined : { reason: `It would have ${reason}` };
  },
  run: (_, { name, limb }, change) => change((project) => setLimb(project, name, limb)),
});

/** The joints of a limb that the picked ones would make, from the top to the end. */
function pickedChain({ history, session }: Editor): readonly string[] {
  const { rig } = history.project();
  const { picked } = session.getState();
  return picked.length === 0 ? [] : chainOf(rig, picked).map((j) => rig.joints[j].name);
}

function tooShort(editor: Editor): Refusal | undefined {
  const { rig } = editor.history.project();
  const chain = pickedChain(editor);
  const picked = editor.session.getState().picked.length;
  if (chain.length < 3 || chain.length < picked)
    return { reason: 'A limb is three joints or more that hang below each other: pick them from top to end' };
  return bendAtRest(rig, chain) ? undefined : { reason: 'These joints lie so that no bend can be told' };
}

/** Makes a limb of the picked joints, or gives a limb these joints. */
export const makeLimb = command<string>({
  name: 'Make a limb of the picked joints',
  refusal: tooShort,
  run(editor, name, change) {
    const { rig } = editor.history.project();
    const chain = pickedChain(editor);
    const bend = bendAtRest(rig, chain);
    if (bend) change((project) => setLimb(project, name, { chain, bend }));
  },
});
