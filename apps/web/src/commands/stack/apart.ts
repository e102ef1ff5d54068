import { addOverBase, takeById } from '@evlay/core/edit';
import type { JobWork } from '@evlay/core/job';
import { playsOn } from '@evlay/core/match';
import { takeIntoLayers } from '../../jobs/workers.js';
import { notify } from '../../ui/notify.js';
import type { ApartLayers } from '../../workers/apart.js';
import { command } from '../command.js';

/** A finished take that is taken apart over the base, and who hears of it. */
export interface TakingApart {
  readonly take: string;
  readonly count: number;
  readonly own: JobWork;
  /** Called in the end; without anything where it failed or the stack has changed meanwhile. */
  readonly ended: (apart?: ApartLayers) => void;
}

/** Puts layers over the base that together give a finished take, as one step. */
export const takeApartOverBase = command<TakingApart>({
  name: 'Take it apart into layers over the base',
  refusal({ history }, { take }) {
    const project = history.project();
    const finished = takeById(project, take);
    return finished && playsOn(project.rig, finished)
      ? undefined
      : { reason: 'It was recorded on another skeleton: fit it to the character first' };
  },
  run({ history, session }, { take, count, own, ended }) {
    const project = history.project();
    takeIntoLayers(project, take, count, own)
      .then((apart) => {
        if (!apart) return ended();
        if (history.project() !== project) {
          notify({ title: 'It was not taken apart', text: 'The stack has changed meanwhile: do it again.' });
          return ended();
        }
        history.edit((now) => addOverBase(now, apart.layers));
        session.light(apart.layers[0].id);
        ended(apart);
      })
      .catch((error: Error) => {
        notify({ title: 'It was not taken apart', text: error.message, alarm: true });
        ended();
      });
  },
});
