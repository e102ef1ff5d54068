import { characterOfTake, type Project, type Take } from '@evlay/core';
import { putSamples, sourceOf, wantedMaking } from '@evlay/core/edit';
import type { Made } from '@evlay/core/format';
import type { Editor } from '../editor/editor.js';
import { setJobs } from '../editor/session.js';
import { knowDigest } from '../storage/save-of.js';
import { notify } from '../ui/notify.js';
import { wearerOf } from './wearer.js';
import { askImporter } from './workers.js';

/** Makes the samples of one take; what was not made, in words, is thrown. Undefined where it was cancelled. */
export type MakeSamples = (take: Take, source: Take, project: Project) => Promise<Made | undefined>;

/** Makes them in the worker that reads files. */
export const makeInWorker: MakeSamples = async (take, source, project) => {
  const wearer = wearerOf(project, characterOfTake(project.scene, take));
  // The files that they came in are of no use there.
  const bare = { ...source, source: { ...source.source, bytes: new Uint8Array() } };
  const { name, made, contacts } = take;
  const result = await askImporter((worker) => worker.make({ name, made, contacts }, bare, wearer));
  if (!result) return undefined;
  if ('refused' in result) throw new Error(result.refused);
  const { digests, ...samples } = result;
  knowDigest(samples.source.bytes, digests[samples.source.id]);
  return samples;
};

/** The samples of made takes that are on their way. */
export interface Makings {
  /** Waits until every take has the samples that its steps ask for, or they were refused. */
  readonly settled: () => Promise<void>;
  readonly stop: () => void;
}

/**
 * Follows the steps by which takes are made: whenever those of a take have changed, its samples are made anew and put
 * into every state of the history that asks for them. There is one making at a time for each take; when it is done and
 * the steps have changed meanwhile, what it brings is dropped and the last steps are made.
 */
export function followMakings(editor: Editor, make: MakeSamples = makeInWorker): Makings {
  const { kept: history, session } = editor;
  const busy = new Map<string, Promise<void>>();
  let stopped = false;

  const makeOne = async (take: Take, wanted: string): Promise<void> => {
    const project = history.project();
    try {
      const samples = await make(take, sourceOf(project, take), project);
      // Where reading something else was cancelled, the worker went with it: it is asked for again.
      if (samples && !stopped) history.fill((state) => putSamples(state, take.id, wanted, samples));
    } catch (error) {
      if (stopped) return;
      const { message } = error as Error;
      // Steps that were refused are not tried again until they change.
      setJobs(session, { unmade: new Map(session.getState().unmade).set(wanted, message) });
      const text = `${message} It plays what it played before: undo the change, choose other steps, or try these once more on Takes.`;
      notify({ title: `“${take.name}” was not made`, text, alarm: true });
    }
  };

  const look = (): void => {
    const project = history.project();
    const { unmade } = session.getState();
    for (const take of project.takes) {
      const wanted = wantedMaking(project, take);
      if (wanted === undefined || busy.has(take.id) || unmade.has(wanted)) continue;
      const going = makeOne(take, wanted).finally(() => {
        busy.delete(take.id);
        if (!stopped) look();
      });
      busy.set(take.id, going);
    }
  };
  const unfollow = history.store.subscribe((state, before) => {
    if (state.project.takes !== before.project.takes) look();
  });
  // One that was refused is asked for once more: it is not among those that were not made any longer.
  const unheard = session.subscribe((state, before) => {
    if (state.unmade.size < before.unmade.size) look();
  });
  look();
  return {
    async settled() {
      while (busy.size > 0 && !stopped) await Promise.all(busy.values());
    },
    stop() {
      stopped = true;
      unfollow();
      unheard();
    },
  };
}
