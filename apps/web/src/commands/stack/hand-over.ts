import { layerById, layerIndex } from '@evlay/core';
import {
  changeLayer,
  fadeAroundKeys,
  handOver,
  handOverRefusal,
  type KeyFades,
  MOST_ROUNDS,
  roundsIn,
} from '@evlay/core/edit';
import type { Editor } from '../../editor/editor.js';
import { command } from '../command.js';
import { pickedLayers } from './picked-layers.js';

const lit = ({ session }: Editor): string => session.getState().lit;

/** Over which frames one layer hands over to another, which way, and whether in the picked parts alone. */
export interface HandOverWish {
  readonly range: readonly [number, number];
  readonly rises: boolean;
  readonly byPart: boolean;
}

/**
 * Which layers hand over: two that are picked, or the lit one and what lies below it. The upper one rises, or hands back
 * to the lower.
 */
export function handOverOf(editor: Editor, { range, rises, byPart }: HandOverWish) {
  const picked = pickedLayers(editor);
  const [lower, upper] = picked.length === 2 ? picked : ['below', lit(editor)];
  const { parts } = editor.session.getState();
  return {
    from: rises ? lower : upper,
    to: rises ? upper : lower,
    range,
    ...(byPart && { parts }),
  };
}

export const handOverLayers = command<HandOverWish>({
  name: 'Hand over from one layer to another',
  layer: pickedLayers,
  refusal(editor, wish) {
    const { history, session } = editor;
    if (pickedLayers(editor).length > 2) return { reason: 'Two layers hand over: pick two, or light one' };
    if (wish.byPart && session.getState().parts.length === 0)
      return { reason: 'Pick the parts that are handed over on the body map' };
    const reason = handOverRefusal(history.project(), handOverOf(editor, wish));
    return reason === undefined ? undefined : { reason };
  },
  run: (editor, wish, change) => {
    const what = handOverOf(editor, wish);
    const long = Math.max(1, Math.round(wish.range[1] - wish.range[0]));
    editor.session.setState(({ timing }) => ({ timing: { ...timing, handOver: long } }));
    change((project) => handOver(project, what));
  },
});

/** Lets the lit override layer count around its picked keys, fading over so many frames on both sides. */
export const fadeAtKeys = command<Partial<KeyFades>>({
  name: 'Fade around the picked keys',
  layer: lit,
  refusal(editor) {
    const { session, history } = editor;
    const layer = layerById(history.project(), lit(editor));
    if (layer?.mode !== 'override' || layerIndex(history.project(), layer.id) === 0)
      return { reason: 'Light an override layer: an additive one fades by what its keys hold' };
    const rounds = roundsIn(history.project(), layer);
    if (rounds > MOST_ROUNDS)
      return {
        reason: `${layer.name} comes round ${rounds} times in the range, up to ${MOST_ROUNDS} can fade`,
      };
    const keys = session.getState().keys.filter(({ address }) => address.kind === 'channel');
    return keys.some(({ address }) => address.layer === layer.id)
      ? undefined
      : { reason: 'Pick keys of the layer, at whose frames it is to count in full' };
  },
  run({ session, history }, values, change) {
    const { keys: picks, timing, lit: id, lastFade } = session.getState();
    const fades = { ...timing.fades, ...values };
    const keys = JSON.stringify(picks);
    const now = layerById(history.project(), id);
    // Other numbers for what was faded last are put in its place.
    const before = lastFade?.keys === keys && lastFade.after === now ? lastFade.before : now;
    session.setState({ timing: { ...timing, fades } });
    change((project) =>
      fadeAroundKeys(before ? changeLayer(project, id, () => before) : project, id, picks, fades),
    );
    const after = layerById(history.project(), id);
    session.setState({ lastFade: before && after && { keys, before, after } });
  },
});
