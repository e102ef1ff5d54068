import { addVariant, deleteVariant, renameVariant, setVariantRange } from '@evlay/core/edit';
import { command } from '../command.js';

/** Keeps what is muted and what everything weighs, as it is seen, as a variant, and shows it. */
export const keepVariant = command({
  name: 'Keep the stack as a variant',
  palette: 'Layer',
  run({ session, kept }, _, change) {
    const { variant } = session.getState();
    const { name, project } = addVariant(kept.project(), variant);
    change((now) => ({ ...now, variants: project.variants }));
    session.setState({ variant: name, variantTakes: 'variant' });
  },
});

/** Shows a variant; none shows the layers as they are. */
export const showVariant = command<string | undefined>({
  name: 'Show the variant',
  looks: true,
  run: ({ session }, variant) => session.setState({ variant }),
});

/** Shows the next of the variants, and after the last one the layers as they are. */
export const nextVariant = command({
  name: 'Show the next variant',
  palette: 'Layer',
  shortcut: 'W',
  looks: true,
  refusal: ({ history }) =>
    history.project().variants.length > 0 ? undefined : { reason: 'There are no variants yet' },
  run({ session, history }) {
    const names = history.project().variants.map(({ name }) => name);
    const at = names.indexOf(session.getState().variant ?? '');
    session.setState({ variant: names[at + 1] });
  },
});

export const renameTheVariant = command<{ from: string; to: string }>({
  name: 'Rename the variant',
  refusal: ({ history }, { from, to }) =>
    to.trim() !== from && history.project().variants.some(({ name }) => name === to.trim())
      ? { reason: `Another variant is called ${to.trim()}` }
      : undefined,
  run({ session, kept }, { from, to }, change) {
    const { variants } = renameVariant(kept.project(), from, to);
    if (variants === kept.project().variants) return;
    // One that is shown and not there any more would be let go of.
    const shown = session.getState().variant === from;
    if (shown) session.setState({ variant: undefined });
    change((now) => ({ ...now, variants }));
    if (shown) session.setState({ variant: to.trim() });
  },
});

export const removeVariant = command<string>({
  name: 'Delete the variant',
  run({ session, kept }, name, change) {
    if (session.getState().variant === name) session.setState({ variant: undefined });
    const { variants } = deleteVariant(kept.project(), name);
    change((now) => ({ ...now, variants }));
  },
});

/** Lets a variant have the range that plays now as its own, or that of the project. */
export const rangeOfVariant = command<{ name: string; own: boolean }>({
  name: 'Give the variant a range of its own',
  run({ kept, history }, { name, own }, change) {
    const { range } = history.project();
    const { variants } = setVariantRange(kept.project(), name, own ? range : undefined);
    change((now) => ({ ...now, variants }));
  },
});
