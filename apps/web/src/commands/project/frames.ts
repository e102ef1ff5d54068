import { insertFrames } from '@evlay/core/edit';
import { notify } from '../../ui/notify.js';
import { command } from '../command.js';

/** Frames that come in at the playhead, or go from there on where `count` is negative; of one layer alone or of all. */
export interface FrameChange {
  readonly count: number;
  readonly layer?: string;
}

export const changeFrames = command<FrameChange>({
  name: 'Insert or remove frames',
  everywhere: true,
  layer: (_, { layer }) => layer,
  refusal: (_, { count }) =>
    Number.isInteger(count) && count !== 0 ? undefined : { reason: 'Expected a whole number of frames' },
  run({ playhead }, { count, layer }, change) {
    let stayed: readonly string[] = [];
    let contacts = 0;
    change((project) => {
      const retimed = insertFrames(project, playhead.get(), count, layer);
      stayed = retimed.stayed;
      contacts = retimed.contactsGone;
      return retimed.project;
    });
    if (contacts > 0)
      notify({
        title: contacts === 1 ? 'A contact is gone' : `${contacts} contacts are gone`,
        text: 'All of their frames were removed.',
      });
    if (stayed.length > 0)
      notify({
        title: count > 0 ? 'Some layers were not cut open' : 'Of some layers nothing was taken out',
        text: `${stayed.join(', ')}: a take or a loop that runs on here stays as it is.`,
      });
  },
});
