import { type DeliveryWanted, makeDelivery } from '../../jobs/delivery.js';
import { download, fileName } from '../../ui/download.js';
import { notify } from '../../ui/notify.js';
import { command } from '../command.js';
import { runBake } from './bake.js';

/** What is delivered, and who hears of it. */
export interface Delivering extends DeliveryWanted {
  /** Called in the end, with the name of the zip and its size; without where it was cancelled or failed. */
  readonly ended: (done?: { readonly file: string; readonly bytes: number }) => void;
}

/** Bakes, films and looks through the project, and downloads all of it with notes and a manifest as one zip. */
export const deliver = command<Delivering>({
  name: 'Deliver',
  looks: true,
  refusal: ({ session }, { film }) =>
    film && session.getState().filming ? { reason: 'A film is being made' } : undefined,
  run(editor, { ended, ...wanted }) {
    const file = fileName(`${editor.history.project().name} delivery`, 'zip');
    runBake(
      editor,
      (own) => makeDelivery(editor, wanted, own),
      (zip) => {
        if (zip) download(file, [zip], zip.type);
        else notify({ title: 'The delivery was cancelled', text: 'Nothing was written.' });
        ended(zip && { file, bytes: zip.size });
      },
      (reason) => {
        notify({ title: 'The delivery failed', text: reason, alarm: true });
        ended();
      },
    );
  },
});
